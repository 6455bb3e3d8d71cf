"""What accounts are called in the books outside."""

from typing import Annotated

from ...catalog.queries import item_by_code
from ...commanding.reading import COST_READERS
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...engineering.models import WorkCenter
from ...ledger.models import Account
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Strict, Text
from ..models import AccountCode


class SetAccountCode(Strict):
    """What an account is called; of one work center or one item, where they have their own."""

    account: Account
    work_center: Code | None = None
    item: Code | None = None
    #: left empty, it has none of its own
    code: Annotated[str, Text(20)] = ""


@command("set-account-code", "Set the code of an account", Role.COST_ACCOUNTANT, told=COST_READERS)
def set_account_code(context: Context, given: SetAccountCode) -> None:
    """Name an account as the books outside do."""
    if given.work_center and given.item:
        raise InvalidInput(
            ["item: an account's code is of a work center or of an item, not of both"]
        )
    center = None
    if given.work_center:
        center = WorkCenter.objects.filter(code=given.work_center).first()
        if center is None:
            raise NotFound("work center", given.work_center)
    item = item_by_code(given.item) if given.item else None
    context.guard("account codes")
    rows = AccountCode.objects.filter(account=given.account, work_center=center, item=item)
    was = rows.first()
    rows.delete()
    if given.code:
        AccountCode.objects.create(
            account=given.account,
            work_center=center,
            item=item,
            code=given.code,
            change=context.change,
        )
    of = given.work_center or given.item
    thing = f"{given.account.value}{f' of {of}' if of else ''}"
    context.effects.field(thing, "code", was.code if was else None, given.code)
