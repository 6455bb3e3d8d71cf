"""Stock: how much there is, and what it is worth."""
