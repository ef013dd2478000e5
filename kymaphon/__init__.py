"""Kymaphon: a show's audio as one signal graph that can be computed, explained and put right."""

__version__ = "0.1.0"
