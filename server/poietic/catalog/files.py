"""Drawings and pictures that people bring: recognised by their content, and kept."""

from dataclasses import dataclass
from typing import Any, ClassVar

from django.core.files.uploadedfile import UploadedFile
from django.http import HttpResponse
from django.utils import timezone
from django.utils.http import content_disposition_header
from PIL import Image
from poietic_core.errors import DomainError

from ..commanding.registry import COMMANDS
from ..commanding.run import require_role
from ..web_api.errors import NotFound
from ..web_api.fields import Answer
from .models import KeptFile

MOST_BYTES = 20_000_000
#: files of one person that are attached to nothing; a night job removes them after a week
MOST_LOOSE = 50
PDF = b"%PDF-"
#: what browsers show, as Pillow names it
PICTURES = {"PNG": "image/png", "JPEG": "image/jpeg", "GIF": "image/gif", "WEBP": "image/webp"}


@dataclass(eq=False)
class NoDocument(DomainError):
    """A file that is no drawing or picture."""

    name: str
    reason: str
    code: ClassVar[str] = "document.not_taken"
    what: ClassVar[str] = "{name} is not taken."
    why: ClassVar[str] = "{reason}"
    fix: ClassVar[str] = "Bring a PNG, JPEG, GIF, WebP or PDF of at most 20 MB."


class DocumentOut(Answer):
    """A drawing or picture of a thing."""

    name: str
    media_type: str
    person: str
    brought_at: str

    @classmethod
    def of(cls, name: str, kept: KeptFile) -> "DocumentOut":
        """Return a kept file under the name that it has with its thing."""
        return cls(
            name=name,
            media_type=kept.media_type,
            person=str(kept.person or ""),
            brought_at=kept.brought_at.isoformat(),
        )


def shown(kept: KeptFile, name: str, thing: str) -> HttpResponse:
    """Return a file as a browser shows it; NotFound where it is not in its folder any more."""
    try:
        with kept.file.open() as content:
            answer = HttpResponse(content.read(), content_type=kept.media_type)
    except OSError:
        raise NotFound(f"file any more of document {name} of", thing) from None
    answer["Content-Disposition"] = content_disposition_header(False, name) or "inline"
    answer["Content-Security-Policy"] = "sandbox"
    return answer


def file_brought(key: int) -> KeptFile:
    """Return a file that somebody brought, or refuse by number."""
    kept = KeptFile.objects.filter(pk=key).first()
    if kept is None:
        raise NotFound("file", str(key))
    return kept


def keep_file(file: "UploadedFile[bytes]", person: Any) -> KeptFile:
    """Keep a file that somebody who may attach documents brought.

    Raises
    ------
    NoDocument (document.not_taken)
        If it is too large, or its content is none of the kinds that are shown.
    """
    require_role(COMMANDS["attach-document"], person)
    name = (file.name or "file")[:120]
    if (file.size or 0) > MOST_BYTES:
        raise NoDocument(name, "It is larger than 20 MB.")
    loose = KeptFile.loose().filter(person_id=person.pk).count()
    if loose >= MOST_LOOSE:
        raise NoDocument(name, f"You brought {loose} files that are attached to nothing.")
    kind = _kind_of(file)
    if kind is None:
        raise NoDocument(name, "Its content is neither a whole picture nor a PDF.")
    return KeptFile.objects.create(
        name=name, file=file, media_type=kind, person_id=person.pk, brought_at=timezone.now()
    )


def _kind_of(file: "UploadedFile[bytes]") -> str | None:
    """Return what a file is by its content, not by its name."""
    begins = file.read(len(PDF))
    file.seek(0)
    if begins == PDF:
        return "application/pdf"
    try:
        with Image.open(file, formats=list(PICTURES)) as picture:
            kind = PICTURES[str(picture.format)]
            picture.verify()
    except Exception:  # Pillow raises whatever a damaged picture makes it
        return None
    finally:
        file.seek(0)
    return kind
