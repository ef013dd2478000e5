"""Gain against noise: budgets, boosters, the line-up, meters, dose, what is down."""
