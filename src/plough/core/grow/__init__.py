"""Asset kinds that grow: trees, tufts. A module here registers its kind with `plough.core.kinds.kind`."""
