"""Meters that take a signal block by block and can be read at any time, each to its standard."""
