"""Statistics: arrays in, arrays out; nothing here knows a trial."""
