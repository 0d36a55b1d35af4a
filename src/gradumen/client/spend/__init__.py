"""What things cost, as its reader may see it."""
