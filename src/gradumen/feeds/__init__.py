"""How usage comes in."""
