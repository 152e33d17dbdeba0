"""The web service: accounts, scenes, jobs, live edits. Depends on the core, never the other way round."""
