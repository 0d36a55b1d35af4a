"""Measures, and limits that flow down the chain."""
