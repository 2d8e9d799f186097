"""The report of a trial: on a page or two, as one file, as a picture for a message, by a link."""
