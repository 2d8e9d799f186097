"""Speed, measured; never a test."""
