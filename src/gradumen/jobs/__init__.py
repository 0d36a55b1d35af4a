"""What runs by itself."""
