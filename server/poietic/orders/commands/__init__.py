"""Commands on production orders, a module for each part of an order's life."""
