"""Lining a show up: gains and pads that put every voice on its mark, and the run through the sources that checks it."""
