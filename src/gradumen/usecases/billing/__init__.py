"""Charges into documents."""
