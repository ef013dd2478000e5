"""Rig: what is plugged into what."""
