"""Every deliberate error can be relied on: code, texts, the way between processes, the list."""

import pickle
from collections.abc import Iterator
from dataclasses import fields
from decimal import Decimal
from typing import Any

import poietic.config.api  # noqa: F401  imports every module that defines errors
from django.conf import settings
from django.test import SimpleTestCase
from poietic.web_api.errors import STATUS
from poietic_core.errors import DomainError


def all_errors(base: type[DomainError] = DomainError) -> Iterator[type[DomainError]]:
    """Yield all kinds of errors."""
    for kind in base.__subclasses__():
        yield kind
        yield from all_errors(kind)


def example(kind: type[DomainError]) -> DomainError:
    """Return an error of a kind, each field filled by its type."""
    values: dict[str, Any] = {
        "str": "X",
        "int": 20,
        "Decimal": Decimal("1.50"),
        "list[str]": ["A", "B"],
        "list[dict[str, str]]": [{"why": "W.", "fix": "F."}],
    }
    return kind(*(values.get(str(f.type).split(".")[-1], values["str"]) if isinstance(f.type, str)
                  else values.get(getattr(f.type, "__name__", ""), values["str"]) if not hasattr(f.type, "__args__")
                  else values[str(f.type)] for f in fields(kind)))  # fmt: skip


class Errors(SimpleTestCase):
    """What screens and callers rest on."""

    def test_codes_are_unique_listed_and_mapped(self) -> None:
        codes = [kind.code for kind in all_errors()]
        listed = (settings.ROOT / "docs/errors.md").read_text()

        self.assertEqual(len(codes), len(set(codes)))
        self.assertEqual([c for c in codes if f"`{c}`" not in listed], [])
        self.assertEqual(set(STATUS) - set(codes), set())

    def test_each_says_what_why_and_what_to_do_and_survives_pickling(self) -> None:
        for kind in all_errors():
            error = example(kind)
            for text in ("what", "why", "fix"):
                self.assertTrue(error.explain()[text], f"{kind.code} {text}")
            self.assertEqual(str(pickle.loads(pickle.dumps(error))), str(error), kind.code)
