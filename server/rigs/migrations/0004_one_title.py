"""A rig's title in writing is its name in the list."""

from typing import Any

from django.db import migrations


def title(apps: Any, editor: Any) -> None:
    for variant in apps.get_model("rigs", "Variant").objects.select_related("rig"):
        if variant.document.get("title") != variant.rig.name:
            variant.document["title"] = variant.rig.name
            variant.save(update_fields=["document"])


class Migration(migrations.Migration):
    dependencies = [("rigs", "0003_order_and_deleted")]
    operations = [migrations.RunPython(title, migrations.RunPython.noop)]
