"""Planning a trial: claim, measure, treatments, units, lots."""
