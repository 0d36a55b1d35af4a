"""What pairs are charged."""
