"""Book: the log, what worked over shows, and what is remembered."""
