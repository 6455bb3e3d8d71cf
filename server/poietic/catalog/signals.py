"""What the catalog tells the parts that stand above it."""

from django.dispatch import Signal

#: sent with `item` when a new item was made, in the same transaction
item_defined = Signal()
#: sent with `item` when it is to be valued in another way, in the same transaction
item_revalued = Signal()
