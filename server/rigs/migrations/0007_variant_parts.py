import json

from django.db import migrations, models


def fill(apps, schema_editor):
    """As server.rigs.models.parts_of was when this was written."""
    Variant = apps.get_model("rigs", "Variant")
    for variant in Variant.objects.iterator(chunk_size=200):
        found = []
        nodes = variant.document.get("nodes", {})
        # The oldest documents listed their parts; later ones hold what is in a frame as its slots.
        parts = nodes.items() if isinstance(nodes, dict) else [(n.get("id"), n) for n in nodes]
        for id, node in parts:
            held = node.get("sidings") or node.get("slots") or ()
            inner = [one.get("stage") or {} for one in held]
            for part in (node, *inner):
                found.append([id, part.get("kind"), part.get("name"), part.get("unit")])
        variant.parts = json.dumps(found, ensure_ascii=False)
        variant.save(update_fields=["parts"])


class Migration(migrations.Migration):
    dependencies = [("rigs", "0006_rig_feeds")]
    operations = [
        migrations.AddField(
            model_name="variant",
            name="parts",
            field=models.TextField(default="[]", help_text="Of the document, to be found by"),
        ),
        migrations.RunPython(fill, migrations.RunPython.noop),
    ]
