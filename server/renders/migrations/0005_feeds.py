"""A render says what played into every source, not into one alone."""

from typing import Any

import django.db.models.deletion
from django.db import migrations, models


def feed(apps: Any, editor: Any) -> None:
    for render in apps.get_model("renders", "Render").objects.defer("detail", "document"):
        placed = {
            "clip": str(render.clip_id), "at_s": 0.0, "from_s": 0.0, "length_s": None, "repeats": 1,
            "gain_db": 0.0, "sides": "both",
        }  # fmt: skip
        render.feeds = [{"source": render.source, "placements": [placed], "silent": False}]
        render.save(update_fields=["feeds"])


def unfeed(apps: Any, editor: Any) -> None:
    for render in apps.get_model("renders", "Render").objects.defer("detail", "document"):
        render.source = render.feeds[0]["source"] if render.feeds else ""
        render.save(update_fields=["source"])


class Migration(migrations.Migration):
    dependencies = [("renders", "0004_render_tail")]
    operations = [
        migrations.AddField(
            model_name="render",
            name="feeds",
            field=models.JSONField(default=list, help_text="What played into the sources"),
        ),
        migrations.AlterField(
            model_name="render",
            name="clip",
            field=models.ForeignKey(
                help_text="The first that is heard",
                on_delete=django.db.models.deletion.CASCADE,
                related_name="+",
                to="clips.clip",
            ),
        ),
        migrations.AlterField(
            model_name="render", name="source", field=models.CharField(default="", max_length=40)
        ),
        migrations.RunPython(feed, unfeed),
        migrations.RemoveField(model_name="render", name="source"),
    ]
