"""Every query and every command against every role."""

import re
from typing import Any

from django.test import TestCase
from ninja.operation import PathView
from poietic.commanding.reading import READ_COSTS, READ_MARGINS, SIGNED_IN, Readers
from poietic.commanding.registry import COMMANDS
from poietic.commanding.roles import Role
from poietic.config.api import api
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.web_api.fields import Answer

from .client import Caller, make_person

#: queries that name what something costs, or who somebody is; and who reads them
NARROW = {
    "api/people": {Role.ADMINISTRATOR},
    "api/audit": {Role.ADMINISTRATOR},
    "api/margins": READ_MARGINS.roles,
    "api/delivered": READ_MARGINS.roles,
    "api/items/{code}/list-prices": READ_MARGINS.roles,
    **dict.fromkeys(
        [
            "api/items/{code}/history",
            "api/orders/{number}/compare/{other}",
            "api/items/{code}/labour",
            "api/orders/{number}/bridge",
            "api/items/{code}/standard",
            "api/items/{code}/worth",
            "api/items/{code}/cost-sheet/{kind}",
            "api/items/{code}/revisions/{letter}/compare",
            "api/items/{code}/rolled",
            "api/items/{code}/cost",
            "api/items/{code}/prices",
            "api/cost-sets",
            "api/cost-sets/{new}/against/{old}",
            "api/cost-sets/{new}/against/{old}/items/{code}",
            "api/overheads",
            "api/uploads/{number}",
            "api/invoices",
            "api/orders/{number}/life",
            "api/orders/{number}/corrections",
            "api/orders/{number}/follow-ups",
            "api/late-costs",
            "api/late-costs/{posting}",
            "api/periods",
            "api/periods/verified",
            "api/periods/{first}",
            "api/closing",
            "api/actual-costs",
            "api/actual-costs/{item}",
            "api/books",
            "api/books/{account}",
            "api/journal.{form}",
            "api/variances",
            "api/variances/orders",
            "api/variances.{form}",
            "api/purchases/{number}/order.pdf",
            "api/purchases/{number}/order.xml",
            "api/stand-ins/supplier/{number}/invoice.xml",
            "api/export/{kind}",
        ],
        READ_COSTS.roles,
    ),
}
#: what nobody has to be signed in for
OPEN = {"api/me"}
VALUES = {"code": "MA-200", "number": "1", "other": "2", "letter": "A", "kind": "csv", "new": "1", "old": "1", "year": "2026", "name": "x", "row": "1", "lot": "x", "form": "svg", "page": "orders", "posting": "1", "first": "2026-01-01", "account": "stock", "item": "MA-200", "run": "1"}  # fmt: skip


def queries() -> dict[str, Any]:
    """Return all GET operations by path."""
    found = {}
    for prefix, router in api._routers:
        for path, view in router.path_operations.items():
            assert isinstance(view, PathView)
            for operation in view.operations:
                if "GET" in operation.methods:
                    whole = f"api{prefix}{path}" if prefix else f"api{path}"
                    found[re.sub(r"\{(?:\w+:)?(\w+)\}", r"{\1}", whole)] = operation
    return found


class Access(TestCase):
    """Declared beside each query and command, and held to."""

    @classmethod
    def setUpTestData(cls) -> None:
        mirror_cell.define(Shop())
        Shop().do("freeze-standard", note="first")
        cls.callers = {
            role: Caller(make_person(role.name.lower().replace("_", "-"), role)) for role in Role
        }

    def test_every_query_answers_those_who_may_read_it_and_no_others(self) -> None:
        found = queries()
        self.assertEqual(set(NARROW) - set(found), set())
        for path, operation in found.items():
            wanted = NARROW.get(path, set(Role))
            address = re.sub(r"\{(\w+)\}", lambda m: VALUES[m[1]], path).removeprefix("api/")
            query = {"row": "x", "figure": "need"} if path.endswith("/derivation") else {}
            query |= {"old": "A"} if path.endswith("/compare") else {}
            for role, caller in self.callers.items():
                caller.get_any(address, **query)
                with self.subTest(path=path, role=role):
                    self.assertEqual(
                        caller.status != 403, role in wanted, f"{path} {role} {caller.status}"
                    )
            stranger = Caller()
            stranger.get_any(address, **query)
            self.assertEqual(stranger.status == 401, path not in OPEN, path)
            if path not in OPEN:
                self.assertTrue(all(isinstance(a, Readers) for a in operation.auth_callbacks), path)

    def test_every_command_refuses_roles_it_does_not_name(self) -> None:
        for name, command in COMMANDS.items():
            self.assertIn(Role.ADMINISTRATOR, command.roles, name)
            for role, caller in self.callers.items():
                for path in (f"commands/{name}", f"commands/{name}/preview"):
                    body = {"given": example(name)} | (
                        {} if "preview" in path else {"key": "k" * 8 + role.name}
                    )
                    said = caller.send(path, body)
                    with self.subTest(command=name, role=role, path=path):
                        lacks = caller.status == 403
                        self.assertEqual(lacks, role not in command.roles, said)

    def test_each_answer_has_a_name_of_its_own(self) -> None:
        """The OpenAPI document keeps one of two that are called alike, without a word."""
        waiting, named = [Answer], []
        while waiting:
            found = waiting.pop().__subclasses__()
            named += [c.__name__ for c in found if c.__module__.startswith("poietic.")]
            waiting += found
        self.assertEqual({n for n in named if named.count(n) > 1}, set())

    def test_costs_are_empty_for_those_who_may_not_see_them(self) -> None:
        for role, caller in self.callers.items():
            may = role in READ_COSTS.roles
            self.assertEqual(caller.get("me")["sees_costs"], may)
            item = caller.get("items/MA-200")
            self.assertEqual(bool(self.callers[role].get("items/AP-20")["price"]), may, role)
            self.assertEqual(bool(item["standard"]), may, role)
            tree = caller.get("items/MA-200/tree")
            self.assertEqual(any(r["cost"] is not None for r in tree["rows"]), may, role)
            self.assertEqual({r["code"] for r in tree["rows"]} > {"AP-20", "PAD-3"}, True)
            for center in caller.get("work-centers"):
                self.assertEqual(center["labour_rate"] != "", may)
        self.assertEqual(SIGNED_IN.roles, set(Role))


def example(name: str) -> Any:
    """Return an input that a command can at least read: by its schema, the smallest."""
    if name == "set-zone":
        return {"zone": "UTC"}
    return smallest(COMMANDS[name].given.model_json_schema())


def smallest(schema: dict[str, Any], defs: dict[str, Any] | None = None) -> Any:
    """Return the smallest value that a JSON schema takes, as far as these inputs need it."""
    defs = defs if defs is not None else schema.get("$defs", {})
    if "$ref" in schema:
        return smallest(defs[schema["$ref"].rsplit("/", 1)[1]], defs)
    if "anyOf" in schema:
        return smallest(schema["anyOf"][0], defs)
    if "enum" in schema:
        return schema["enum"][0]
    if "const" in schema:
        return schema["const"]
    match schema.get("type"):
        case "object":
            wanted = schema.get("required", [])
            return {
                k: smallest(v, defs) for k, v in schema.get("properties", {}).items() if k in wanted
            }
        case "array":
            return [smallest(schema["items"], defs)] * schema.get("minItems", 0)
        case "integer":
            return schema.get("minimum", 1)
        case "boolean":
            return False
    if schema.get("format") == "date":
        return "2026-12-01"
    if schema.get("format") == "decimal":
        return "1"
    return "A" * max(schema.get("minLength", 1), 1)
