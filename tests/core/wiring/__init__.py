"""Tests of this room of the core."""
