"""On paper: tags for the units, a sheet for the round."""
