"""The life of a production order: states, what may be reported, what gets charged."""
