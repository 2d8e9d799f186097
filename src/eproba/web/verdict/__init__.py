"""The verdict: what the trial showed, and how far to trust it."""
