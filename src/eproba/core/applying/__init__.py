"""What the doses of a trial need: the desk, brews compared, back-scheduling, advice at the pour."""
