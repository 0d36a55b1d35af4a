"""Gradumen runs the commercial side of a provider's clouds."""
