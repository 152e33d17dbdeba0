"""A library of assets outside of Plough: the interface that it is spoken to by, a client that believes nothing, and a small stand-in."""
