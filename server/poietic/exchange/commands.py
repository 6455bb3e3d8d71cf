"""Importing a file: all of it, or nothing."""

from dataclasses import dataclass
from typing import Annotated, ClassVar

from django.utils import timezone
from poietic_core.errors import DomainError
from pydantic import Field

from ..commanding.registry import Context, command
from ..commanding.roles import Role
from ..engineering.commands.structures import guard_graph
from ..engineering.snapshot import refuse_loops
from ..web_api.errors import NotFound
from ..web_api.fields import Strict
from .models import Upload
from .plan import plan_import
from .reading import read_file
from .storing import named_rows, state_of, store


@dataclass(eq=False)
class RowsRefused(DomainError):
    """Rows of a file can't be taken, so none is."""

    name: str
    count: int
    first: list[str]
    code: ClassVar[str] = "exchange.rows_refused"
    what: ClassVar[str] = "{name} is not imported: {count} of its rows are refused."
    why: ClassVar[str] = "{first}"
    fix: ClassVar[str] = (
        "Correct these rows and bring the file again; a file is taken whole or not at all."
    )


class ImportTables(Strict):
    """An uploaded file to take in; its structures come into force today."""

    upload: Annotated[int, Field(ge=1, le=2**62)]


@command("import-tables", "Import tables", Role.ENGINEER, is_long=True)
def import_tables(context: Context, given: ImportTables) -> None:
    """Take in the items, work centers and structures of a file, all or nothing."""
    upload = Upload.objects.filter(pk=given.upload).first()
    if upload is None:
        raise NotFound("upload", str(given.upload))
    day = timezone.localdate(context.now)
    context.progress("reading the file", 0, 0)
    content = read_file(upload.name, bytes(upload.content))
    named = named_rows(content)
    # planned beside the others' work; only what is written is locked, and only while it is
    context.progress("comparing with what is there", 0, 0)
    before = state_of(named)
    plan = plan_import(content, day)
    for rows in named.values():
        context.lock_rows(rows)
    if state_of(named) != before:  # somebody changed some of it meanwhile: look again, now alone
        plan = plan_import(content, day)
    context.progress("writing", 0, len(plan.rows))
    refused = [r for r in plan.rows if r.status == "refused"]
    if refused:
        first = [f"{r.table} line {r.line}: {r.why}" for r in refused[:5]]
        raise RowsRefused(upload.name, len(refused), first)
    store(context, plan)
    if plan.structures:
        guard_graph(context)
        refuse_loops(day)
    for status in ("new", "changed", "same"):
        context.effects.field(upload.name, f"rows {status}", None, plan.count(status) or None)
