"""Plugs and cables: what fits, power, earths, hum, routes, the patch and pull lists, what a control moves."""
