import json

from django.db import migrations


def words_alone(apps, schema_editor):
    """What has no name is found by none: neither by "null"."""
    Variant = apps.get_model("rigs", "Variant")
    for variant in Variant.objects.only("parts").iterator(chunk_size=200):
        parts = [[word or "" for word in part] for part in json.loads(variant.parts)]
        variant.parts = json.dumps(parts, ensure_ascii=False)
        variant.save(update_fields=["parts"])


class Migration(migrations.Migration):
    dependencies = [("rigs", "0007_variant_parts")]
    operations = [migrations.RunPython(words_alone, migrations.RunPython.noop)]
