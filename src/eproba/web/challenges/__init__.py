"""Many gardens, one envelope: a challenge called, taken up and answered by files; opened on one day."""
