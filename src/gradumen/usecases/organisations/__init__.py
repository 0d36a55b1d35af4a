"""Organisations and their projects."""
