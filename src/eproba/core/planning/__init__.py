"""Planning a trial: claim, treatments, ground, lots, days."""
