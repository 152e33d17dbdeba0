"""Buildings: bodies, their faces and what these are filled with, roofs, kits of pieces."""
