"""A rehearsal: a household with a set clock does what Today says, for weeks or a year, and laws watch the list."""
