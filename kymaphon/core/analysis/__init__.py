"""The report of a show: its figures with what was found in them, and what is offered against it."""
