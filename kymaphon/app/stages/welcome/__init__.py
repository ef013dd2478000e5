"""Welcome: three questions, and the show that comes of the answers."""
