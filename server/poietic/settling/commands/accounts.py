"""What accounts are called in the books outside."""

from typing import Annotated

from ...catalog.models import Item
from ...catalog.queries import item_by_code
from ...commanding.reading import COST_READERS
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...engineering.models import WorkCenter
from ...ledger.models import Account
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, ItemGroup, Strict, Text
from ..models import AccountCode


class SetAccountCode(Strict):
    """What an account is called; of one work center, item or group of items, where they have their own."""

    account: Account
    work_center: Code | None = None
    item: Code | None = None
    item_group: ItemGroup = ""
    #: left empty, it has none of its own
    code: Annotated[str, Text(20)] = ""


@command("set-account-code", "Set the code of an account", Role.COST_ACCOUNTANT, told=COST_READERS)
def set_account_code(context: Context, given: SetAccountCode) -> None:
    """Name an account as the books outside do."""
    of = [x for x in (given.work_center, given.item, given.item_group) if x]
    if len(of) > 1:
        raise InvalidInput(
            [f"item: an account's code is of one of {', '.join(of)}, not of all of them"]
        )
    if given.item_group and not Item.objects.filter(item_group=given.item_group).exists():
        raise NotFound("item group", given.item_group)
    center = None
    if given.work_center:
        center = WorkCenter.objects.filter(code=given.work_center).first()
        if center is None:
            raise NotFound("work center", given.work_center)
    item = item_by_code(given.item) if given.item else None
    context.guard("account codes")
    where = {"account": given.account, "work_center": center, "item": item, "item_group": given.item_group}  # fmt: skip
    rows = AccountCode.objects.filter(**where)
    was = rows.first()
    rows.delete()
    if given.code:
        AccountCode.objects.create(**where, code=given.code, change=context.change)
    thing = f"{given.account.value}{f' of {of[0]}' if of else ''}"
    context.effects.field(thing, "code", was.code if was else None, given.code)
