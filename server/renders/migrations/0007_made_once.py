from django.db import migrations, models

OPEN = ["queued", "running"]


def let_go(apps, schema_editor):
    """Of the same render asked for twice the newest goes on."""
    renders = apps.get_model("renders", "Render").objects.filter(
        status__in=OPEN, cancel_requested=False
    )
    seen = set()
    for pk, variant, digest in renders.order_by("-created_at").values_list(
        "pk", "variant_id", "digest"
    ):
        if (variant, digest) in seen:
            renders.filter(pk=pk).update(cancel_requested=True)
        seen.add((variant, digest))


class Migration(migrations.Migration):
    dependencies = [
        ("clips", "0002_found_by"),
        ("renders", "0006_several_places"),
        ("rigs", "0009_found_by"),
    ]

    operations = [
        migrations.RunPython(let_go, migrations.RunPython.noop),
        migrations.AddConstraint(
            model_name="render",
            constraint=models.UniqueConstraint(
                condition=models.Q(status__in=OPEN, cancel_requested=False),
                fields=("variant", "digest"),
                name="render_made_once",
            ),
        ),
    ]
