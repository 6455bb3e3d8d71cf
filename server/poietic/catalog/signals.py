"""What the catalog tells the parts that stand above it."""

from django.dispatch import Signal

#: sent with `item` when a new item was made, in the same transaction
item_defined = Signal()
