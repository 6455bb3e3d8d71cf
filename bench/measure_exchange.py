"""Bringing 100,000 rows from a file into the shop."""

import io
import resource
import zipfile
from time import perf_counter

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client, TestCase
from poietic.catalog.models import Item
from poietic.demo.shop import Shop
from poietic.people.models import Person

from server.tests.client import sign_in

ITEMS, EACH = 20_000, 4


def package() -> bytes:
    """Return a zip of 100,000 rows: items on four levels, each made of four of the next."""
    made = ITEMS * 3 // 4
    items = "".join(f"P{n},Part {n},pcs,{'make' if n < made else 'buy'},{'' if n < made else '1.5'}\n" for n in range(ITEMS))  # fmt: skip
    operations = "".join(f"P{n},10,Make,CELL,0.1\n" for n in range(made))
    components = "".join(f"P{n},10,P{n // 5000 * 5000 + 5000 + (n * 7 + k * 1111) % 5000},{k + 1}\n" for n in range(made) for k in range(EACH))  # fmt: skip
    target = io.BytesIO()
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("items.csv", "code,name,unit,source,price\n" + items)
        archive.writestr("work_centers.csv", "code,name,machine_rate,labour_rate\nCELL,Cell,0,30\n")
        archive.writestr("operations.csv", "item,number,name,work_center,run_labour_hours\n" + operations)  # fmt: skip
        archive.writestr("components.csv", "item,operation,component,quantity\n" + components)
    return target.getvalue()


class Import(TestCase):
    """From the upload to the rows in the database, and back out."""

    def test_import(self) -> None:
        Shop().do("add-person", name="bench", full_name="Bench", password="a long enough one", roles=["engineer"])  # fmt: skip
        client = Client()
        sign_in(client, Person.objects.get(name="bench"))
        begin = perf_counter()
        upload = client.post(
            "/api/uploads", {"file": SimpleUploadedFile("p.zip", package())}
        ).json()
        seen = perf_counter() - begin
        begin = perf_counter()
        answer = client.post(
            "/api/commands/import-tables",
            {"key": "bench-import", "given": {"upload": upload["upload"]}},
            content_type="application/json",
        )
        took = perf_counter() - begin
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        begin = perf_counter()
        exported = client.get("/api/export/csv").content
        out = perf_counter() - begin
        begin = perf_counter()
        rows = [Item(code=f"B{n}", name="B", unit="pcs", step=1, source="buy", change=1) for n in range(2000)]  # fmt: skip
        for row in rows:
            row.save()
        one_by_one = (perf_counter() - begin) / 2000 * upload["new"]
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
        print(
            f"\n{upload['new']:,} rows: previewed in {seen:.1f} s, imported in {took:.1f} s (goal < 60), "
            f"{one_by_one / took:.1f} × rows saved one by one ({one_by_one:.0f} s by 2,000 of them); "
            f"exported in {out:.1f} s ({len(exported) / 1e6:.1f} MB); peak {peak:.0f} MB (goal < 1,000)"
        )
        again = client.post("/api/uploads", {"file": SimpleUploadedFile("p.zip", exported)}).json()
        self.assertEqual((again["new"], again["changed"], again["refused"]), (0, 0, 0))
