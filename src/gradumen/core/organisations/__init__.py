"""What organisations are: their states, and how their papers are written."""
