"""Open formats, read and written. Knows meshes, materials and plain values only."""
