import json
from typing import Any

from django.db import migrations


def name_the_main_items(apps: Any, schema_editor: Any) -> None:
    """Note for co-products and grades in whose basis they are computed."""
    standard = apps.get_model("costing", "Standard")
    rows = standard.objects.exclude(basis="").values_list("cost_set_id", "item__code", "basis")
    for cost_set, code, text in rows.iterator():
        basis = json.loads(text)
        beside = [i["code"] for i in basis["inputs"] if i["kind"] == "co-product"]
        beside += basis.get("grades") or {}
        if beside:
            made = standard.objects.filter(cost_set_id=cost_set, item__code__in=beside)
            made.update(made_with=code)


class Migration(migrations.Migration):
    dependencies = [("costing", "0003_sets_in_arrays_and_bases_as_text")]

    operations = [migrations.RunPython(name_the_main_items, migrations.RunPython.noop)]
