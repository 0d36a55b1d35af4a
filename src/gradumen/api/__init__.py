"""HTTP: one router a concept."""
