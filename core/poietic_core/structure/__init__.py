"""What an item is made of and how: components and operations as one thing."""
