"""Files in and out."""

from django.db.models import Sum
from django.db.models.functions import Length
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import File, Router, UploadedFile

from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS
from ..commanding.registry import COMMANDS
from ..commanding.run import require_role
from ..people.door import note
from ..people.models import Happening
from ..web_api.errors import NotFound
from ..web_api.fields import Answer
from .models import Upload
from .plan import plan_import
from .reading import MOST_BYTES, Content, Unreadable, first_sheet, read_file
from .writing import as_package, as_workbook, content_of

router = Router(tags=["exchange"])
SHOWN_MOST = 2_000
#: what is read of a workbook that fills an entry
MOST_OF_A_SHEET, MOST_SHEET_ROWS = 5_000_000, 1_000
#: what the uploads of one person may hold together
MOST_OF_A_PERSON = 200_000_000
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
#: refused rows come first, then what changes anything
ORDER = {"refused": 0, "changed": 1, "new": 2, "same": 3}


class PlannedRow(Answer):
    """A row of an uploaded file and what would become of it."""

    table: str
    line: int
    code: str
    status: str
    why: str


class UploadOut(Answer):
    """An uploaded file: how many rows would be new, changed, the same or refused, and the first of them."""

    upload: int
    name: str
    new: int
    changed: int
    same: int
    refused: int
    rows: list[PlannedRow]


class SheetOut(Answer):
    """The rows of a workbook's first sheet, as texts."""

    rows: list[list[str]]


@router.post("/sheets", response={200: SheetOut, 422: Problem})
def sheet(request: HttpRequest, file: File[UploadedFile]) -> SheetOut:
    """Return what the first sheet of a workbook says, to be put into an entry; nothing is kept."""
    name = file.name or "file"
    if (file.size or 0) > MOST_OF_A_SHEET:
        raise Unreadable(name, f"It is larger than {MOST_OF_A_SHEET / 1e6:,.0f} MB.")
    return SheetOut(rows=first_sheet(name, file.read(), MOST_SHEET_ROWS))


@router.post("/uploads", response={200: UploadOut, 403: Problem, 422: Problem})
def upload(request: HttpRequest, file: File[UploadedFile]) -> UploadOut:
    """Keep a file and return what importing it would do, row by row; nothing is imported yet."""
    require_role(COMMANDS["import-tables"], request.user)  # type: ignore[arg-type]
    assert request.user.pk is not None
    name = file.name or "file"
    if (file.size or 0) > MOST_BYTES:
        raise Unreadable(name, f"It is larger than {MOST_BYTES / 1e6:,.0f} MB.")
    mine = Upload.objects.filter(person_id=request.user.pk)
    held = mine.aggregate(total=Sum(Length("content")))["total"] or 0
    if held + (file.size or 0) > MOST_OF_A_PERSON:
        raise Unreadable(
            name,
            f"With it your uploads would hold more than {MOST_OF_A_PERSON / 1e6:,.0f} MB; the oldest go by themselves after a month.",
        )
    data = file.read()
    content = read_file(name, data)
    kept = Upload.objects.create(
        name=name[:200], content=data, person_id=request.user.pk, uploaded_at=timezone.now()
    )
    return _out(kept, content)


@router.get("/uploads/{number}", auth=READ_COSTS, response={200: UploadOut, 404: Problem})
def uploaded(request: HttpRequest, number: int) -> UploadOut:
    """Return what importing an uploaded file would do now."""
    kept = Upload.objects.filter(pk=number).first() if 0 < number < 2**62 else None
    if kept is None:
        raise NotFound("upload", str(number))
    return _out(kept, read_file(kept.name, bytes(kept.content)))


def _out(kept: Upload, content: Content) -> UploadOut:
    plan = plan_import(content, timezone.localdate())
    rows = sorted(plan.rows, key=lambda r: ORDER[r.status])
    return UploadOut(
        upload=kept.pk,
        name=kept.name,
        new=plan.count("new"),
        changed=plan.count("changed"),
        same=plan.count("same"),
        refused=plan.count("refused"),
        rows=[
            PlannedRow(table=r.table, line=r.line, code=r.code, status=r.status, why=r.why)
            for r in rows[:SHOWN_MOST]
        ],
    )


@router.get("/export/{kind}", auth=READ_COSTS, response={404: Problem})
def export(request: HttpRequest, kind: str) -> HttpResponse:
    """Return all items, work centers and structures in force: "csv" a zip that a data package describes, "xlsx" a workbook."""
    if kind not in ("csv", "xlsx"):
        raise NotFound("format", kind)
    note(request, Happening.Kind.EXPORT, detail=kind)
    today = timezone.localdate()
    if kind == "csv":
        answer = HttpResponse(as_package(content_of(today)), content_type="application/zip")
        answer["Content-Disposition"] = f'attachment; filename="poietic-{today}.zip"'
        return answer
    answer = HttpResponse(as_workbook(content_of(today)), content_type=XLSX)
    answer["Content-Disposition"] = f'attachment; filename="poietic-{today}.xlsx"'
    return answer
