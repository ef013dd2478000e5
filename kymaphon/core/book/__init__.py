"""The book: what happened in a show, looked through; and what worked over shows, remembered."""
