"""Layer kinds, one module each: a parameter model, and one function that evaluates it to facets.

A kind reads what it needs from its `Inputs` and gives an `Output`; nothing else in Plough knows it
by name. To add one, add a module here.
"""
