"""The computation of Plough: growth, ground, placement, evaluation and baking.

Nothing in here knows of the web, a database, the clock or global state. Lengths are metres, angles radians, axes right-handed with Y up.
"""
