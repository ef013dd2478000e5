"""Level: gain against noise, point by point."""
