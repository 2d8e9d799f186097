"""What happened to units between rounds, put down on any day."""
