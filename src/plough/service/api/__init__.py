"""One router for each resource, under /api."""
