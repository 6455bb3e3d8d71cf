"""When work is done: calendars, working time, and the dates of an order's operations."""
