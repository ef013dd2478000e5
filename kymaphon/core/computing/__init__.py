"""From a show to its figures."""
