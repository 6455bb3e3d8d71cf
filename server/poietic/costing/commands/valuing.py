"""Having an item valued in another way, with what it holds."""

from poietic_core.stock.valuation import Method

from ...catalog.commands.items import faults_of_item
from ...catalog.models import Item
from ...commanding.reading import COST_READERS
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.models import Holding, Posting
from ...ledger.transaction import Transaction
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Note, Strict
from ..queries import standards_in_force


class ChangeValuation(Strict):
    """How an item is valued from now on."""

    item: Code
    valuation: Method
    note: Note = ""


@command(
    "change-valuation", "Value an item in another way", Role.COST_ACCOUNTANT, told=COST_READERS
)
def change_valuation(context: Context, given: ChangeValuation) -> None:
    """Carry what is in stock over to another method: to a pool, to layers, to the standard in force."""
    rows = Item.objects.filter(code=given.item)
    item = context.lock_one(rows, "item", NotFound("item", given.item))
    if item.method is given.valuation:
        raise InvalidInput([f"valuation: {item.code} is valued by {given.valuation} already"])
    transaction = Transaction(context)
    transaction.concern([item.pk])
    document = transaction.open(Posting.Kind.VALUATION, reason=given.note)
    standard = None
    if given.valuation is Method.STANDARD:
        found = standards_in_force([item]).get(item.code)
        standard = found.total if found else None
    transaction.stock.value_by(document, item, given.valuation, standard)
    context.effects.field(f"item {item.code}", "valuation", item.valuation, given.valuation.value)
    item.valuation = given.valuation.value
    if faults := faults_of_item(item):
        raise InvalidInput(faults)
    item.change = context.change
    item.save(update_fields=["valuation", "change"])
    transaction.post()
    Holding.objects.filter(pk=item.pk).update(valued_from=document.key)
