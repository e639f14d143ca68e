import json

from django.db import migrations, models

from core.find import plain


def fill(apps, schema_editor):
    """What has no name is found by none: neither by "null". As server.rigs.models.words_of was then."""
    Variant = apps.get_model("rigs", "Variant")
    for variant in Variant.objects.only("parts").iterator(chunk_size=200):
        parts = [[word or "" for word in part] for part in json.loads(variant.parts)]
        words = {}
        for _, kind, name, unit in parts:
            words |= dict.fromkeys([f'"{kind}"', *(plain(word) for word in (name, unit) if word)])
        variant.parts, variant.found_by = json.dumps(parts, ensure_ascii=False), "\n".join(words)
        variant.save(update_fields=["parts", "found_by"])


class Migration(migrations.Migration):
    dependencies = [("rigs", "0007_variant_parts")]
    operations = [
        migrations.AddField(
            model_name="variant",
            name="found_by",
            field=models.TextField(default="", help_text="Words of its parts, each once, in plain letters"),
        ),
        migrations.RunPython(fill, migrations.RunPython.noop),
    ]
