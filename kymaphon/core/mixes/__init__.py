"""Feeds planned and proven: wants by role, mixes put on buses, steps at the desk, tracks, the stream's budget."""
