"""The guide as pages of text, one for each task, and the glossary as data."""
