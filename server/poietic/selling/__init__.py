"""What leaves for customers, at what price."""
