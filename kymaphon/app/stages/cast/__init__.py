"""Cast: who stands where, and what their microphones hear."""
