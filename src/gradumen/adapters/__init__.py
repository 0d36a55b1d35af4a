"""Other systems outside: what is asked of them, through one door."""
