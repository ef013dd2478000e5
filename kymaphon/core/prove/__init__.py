"""Proving a rig: who taps what, which meters must move, and which fault explains what was seen."""
