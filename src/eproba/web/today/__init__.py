"""What is due now, over all trials."""
