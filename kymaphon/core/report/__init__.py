"""Sheets, lists, pictures and explanations, made of a report."""
