"""Feeds: who hears whom, and how the mixes are made."""
