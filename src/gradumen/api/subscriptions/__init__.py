"""Who has which tier of which plan, and what belongs to it."""
