"""Air: the rundown run against the clock; what can go wrong, the meters, and notes."""
