"""The parallel compression becomes one part of what is kept of Blend."""

from typing import Any

from django.db import migrations


def wrap(apps: Any, editor: Any) -> None:
    for song in apps.get_model("songs", "Song").objects.exclude(blend=None):
        if "parallel" not in song.blend:
            song.blend = {"parallel": song.blend}
            song.save(update_fields=["blend"])


def unwrap(apps: Any, editor: Any) -> None:
    for song in apps.get_model("songs", "Song").objects.exclude(blend=None):
        song.blend = song.blend.get("parallel")
        song.save(update_fields=["blend"])


class Migration(migrations.Migration):
    dependencies = [("songs", "0003_song_blend_song_space")]
    operations = [migrations.RunPython(wrap, unwrap)]
