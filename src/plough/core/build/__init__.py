"""Asset kinds that are built: rocks, walls, houses. A module here registers its kind with `plough.core.kinds.kind`."""
