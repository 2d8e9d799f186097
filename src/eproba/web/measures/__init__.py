"""The measures: the catalogue's and one's own."""
