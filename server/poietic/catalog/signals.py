"""What the catalog tells the parts that stand above it."""

from django.dispatch import Signal

#: sent with `item` when a new item was made, in the same transaction
item_defined = Signal()
#: sent with `item` and `is_revalued` before an item is made, bought or valued in another way, in the
#: same transaction: what moves it is held still, and another valuation may be refused
item_changing = Signal()
