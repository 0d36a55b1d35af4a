"""Puts the real parts together."""
