"""Simulated stand-ins for what is outside the program: talkers, and a rig that plays a show."""
