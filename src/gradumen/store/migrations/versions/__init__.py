"""One file a schema change."""
