"""From readings to an honest answer: series → one number a unit → comparisons → shuffle test → verdict → trust."""
