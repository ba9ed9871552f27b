"""What will go wrong, told before a run."""
