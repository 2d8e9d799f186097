"""What things cost: entered once, kept with the day; what a trial’s treatments cost by it, and whether that pays."""
