"""Quiet: gates, strips, ducking, from recordings."""
