"""Planning: who wants how much of what by when, and what will come."""
