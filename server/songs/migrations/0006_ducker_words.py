"""Two fields of a ducker have other names."""

import json
from typing import Any

from django.db import migrations

WORDS = {"duck_percent": "sensitivity_percent", "pre_gain_db": "follower_gain_db"}


def rename(words: dict[str, str]) -> Any:
    def run(apps: Any, editor: Any) -> None:
        for song in apps.get_model("songs", "Song").objects.exclude(space=None):
            ducking = (song.space or {}).get("ducking") or {}
            if words.keys() & ducking.keys():
                song.space["ducking"] = {words.get(k, k): v for k, v in ducking.items()}
                song.save(update_fields=["space"])
        for variant in apps.get_model("rigs", "Variant").objects.exclude(moves=[]):
            before = json.dumps(variant.moves)
            after = before
            for old, new in words.items():
                after = after.replace(f'"{old}"', f'"{new}"')
            if after != before:
                variant.moves = json.loads(after)
                variant.save(update_fields=["moves"])

    return run


class Migration(migrations.Migration):
    dependencies = [
        ("songs", "0005_hand_and_put_away"),
        ("rigs", "0003_order_and_deleted"),
    ]
    operations = [
        migrations.RunPython(rename(WORDS), rename({v: k for k, v in WORDS.items()})),
    ]
