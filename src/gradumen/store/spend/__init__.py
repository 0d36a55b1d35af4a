"""What things cost: parts of charges as column files."""
