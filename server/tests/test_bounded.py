"""No answer grows with the works: what is long is cut, and says how long it is."""

from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from .client import Caller, make_person
from .test_exchange import zipped

MANY = 205


class Bounded(TestCase):
    """A bolt in stock by serial, used in many structures that are sold and have no standard."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.caller = caller = Caller(make_person())
        tops = [f"TOP{n:03}" for n in range(MANY)]
        package = zipped(
            items="code,name,unit,source,price,tracking,number_rule\n"
            + "BOLT,Bolt,pcs,buy,0.20,serial,B{number:4}\n"
            + "".join(f"{t},Top,pcs,make,,none,\n" for t in tops),
            work_centers="code,name,machine_rate,labour_rate\nBENCH,Bench,0,30\n",
            operations="item,number,name,work_center,run_labour_hours\n"
            + "".join(f"{t},10,Assemble,BENCH,0.5\n" for t in tops),
            components="item,operation,component,quantity\n"
            + "".join(f"{t},10,BOLT,4\n" for t in tops),
            list_prices="item,customer,from_quantity,price\n"
            + "".join(f"{t},,0,{n + 1}\n" for n, t in enumerate(tops)),
        )
        file = SimpleUploadedFile("works.zip", package)
        upload = caller.client.post("/api/uploads", {"file": file}).json()
        caller.must("import-tables", {"upload": upload["upload"]})
        line = {"item": "BOLT", "quantity": str(MANY), "price": "0.2", "place": "STORE"}
        caller.must("define-place", {"code": "STORE", "name": "Store", "kind": "store"})
        caller.must("receive-material", {"lines": [line]})

    def cut(self, path: str) -> list[dict[str, Any]]:
        """Return the rows of an answer that has more than it lists."""
        answer = self.caller.get(path)
        self.assertEqual((len(answer["rows"]), answer["whole"]), (200, MANY), path)
        rows: list[dict[str, Any]] = answer["rows"]
        return rows

    def test_what_is_listed_is_what_is_looked_at_first(self) -> None:
        self.assertEqual(self.cut("items/BOLT/stock")[0]["lot"], "B0001")
        self.assertEqual(self.cut("items/BOLT/where-used")[0]["item"], "TOP000")
        lacks = self.caller.get("lacks")
        self.assertEqual(len(lacks["rows"]), 200)
        self.caller.must("freeze-standard", {})
        # by hand: 4 × 0.20 + 0.5 h × 30 = 15.80, asked for 1.00
        self.assertEqual(self.cut("margins")[0]["margin"], "-14.800000")
        # each of them lacked its standard, and so did the bolt
        self.assertEqual(lacks["whole"] - self.caller.get("lacks")["whole"], MANY + 1)

    def test_an_item_at_a_glance_names_the_first_that_use_it(self) -> None:
        used = self.caller.get("items/BOLT/peek")["used_in"]
        self.assertEqual(used, [f"TOP{n:03}" for n in range(20)])
