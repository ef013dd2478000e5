"""What is wrong with the sound of a recording: one detector each, fed with stretches of it."""
