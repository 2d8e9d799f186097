"""Together: trials of one question side by side, and what they say on the whole."""
