"""What is written and read as files."""
