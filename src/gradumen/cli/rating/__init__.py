"""Usage into charges."""
