"""Text by which rows are found: kept by the database beside what it is made of, in plain letters.

A word is looked for in it as it stands (`strpos`): over ten thousand lines that takes half as long as
patterns do, and a third of comparing without regard to capitals.
"""

from collections.abc import Iterable
from typing import Any

from django.db.models import F, Func, GeneratedField, Q, TextField, Value
from django.db.models.functions import Concat, StrIndex
from django.db.models.lookups import GreaterThan


class Plain(Func):
    """Small letters without accents and one space between words, as core.find.plain has them."""

    # Whatever the database sorts by: capitals of all scripts, and the two letters that lower() leaves.
    template = (
        r"replace(replace(lower(regexp_replace(regexp_replace(normalize((%(expressions)s)::text, "
        r"NFKD), '[\u0300-\u036f]', '', 'g'), '\s+', ' ', 'g') "
        "COLLATE \"und-x-icu\"), 'ß', 'ss'), 'ς', 'σ')"
    )
    arity = 1
    output_field = TextField()


def found_by(*fields: str) -> GeneratedField:
    """A column with the plain text of some others, kept as they are by the database itself."""
    parts: list[Any] = [fields[0]]
    for field in fields[1:]:
        parts += [Value(" "), field]
    whole = Concat(*parts, output_field=TextField()) if len(parts) > 1 else parts[0]
    return GeneratedField(expression=Plain(whole), output_field=TextField(), db_persist=True)


def holding(groups: Iterable[Iterable[str]], *fields: str) -> Q:
    """Rows that hold a word of every group in one of the fields."""
    wanted = Q()
    for group in groups:
        one = Q()
        words = set(group)
        # Where "verb" is looked for, "reverb" is found as well.
        for word in sorted(w for w in words if not any(o in w for o in words - {w})):
            for field in fields or ("found_by",):
                one |= Q(GreaterThan(StrIndex(F(field), Value(word)), 0))
        wanted &= one
    return wanted
