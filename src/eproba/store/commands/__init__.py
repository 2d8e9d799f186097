"""Whatever changes something: check, lock, write, forget what was found. Views commit."""
