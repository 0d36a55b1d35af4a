"""Feeds, readings, and the usage made of them."""
