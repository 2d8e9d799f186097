"""The calendar: every day's work over all trials, as a page, a file and a feed."""
