"""Set lists of a studio's file on their way in: after its songs, as they name them."""

from typing import Any
from uuid import UUID, uuid4

from pydantic import ValidationError

from core.setlist import Entry, SetListValues
from server.accounts.models import User
from server.config.problems import Problem
from server.rigs.models import Variant
from server.setlists.services import lists_of, make_list
from server.songfiles.one import Brought, Clash, OneSong
from server.songfiles.studio import FiledEntry, FiledList
from server.songs.queries import songs_of


def second(name: str, held: set[str], most: int) -> str:
    """The name with the first number that makes it one of its own. held: case-folded."""
    count = 2
    while f"{name[:most]} {count}".casefold() in held:
        count += 1
    return f"{name[:most]} {count}"


class SetListsIn:
    """What they name is told first, by folders; then they are taken."""

    def __init__(self, user: User, filed: list[FiledList]) -> None:
        self.user, self.filed = user, filed
        self.held = {one.name.casefold() for one in lists_of(user)}
        self.taken = [one.name for one in filed if one.name.casefold() in self.held]
        """Names that are there already."""
        self.songs: dict[str, UUID] = {}
        self.variants: dict[tuple[str, str], UUID] = {}

    def came(self, folder: str, one: OneSong) -> None:
        """A song was taken, with those of its variants that could be read."""
        self.songs[folder] = one.song.pk
        there = set(Variant.objects.filter(rig__song=one.song).values_list("pk", flat=True))
        for rig in one.file.rigs:
            for variant in rig.variants:
                if (pk := one.pk(variant.mark)) in there:
                    self.variants[folder, variant.mark] = pk

    def was_here(self, folder: str, title: str) -> None:
        """A song that was left as it is: the list plays that one."""
        if folder not in self.songs:
            found = songs_of(self.user).filter(title__iexact=title).first()
            if found is not None:
                self.songs[folder] = found.pk

    def take(self, clash: Clash, done: Brought) -> None:
        """Those that can be; what of them was left out is said."""
        for filed in self.filed:
            name = filed.name
            if name.casefold() in self.held:
                if clash != "second":
                    done.left_out.append(
                        f"Set list “{name}” is here already and was left as it is."
                    )
                    continue
                name = second(name, self.held, 75)
            try:
                entries = [self._entry(e, name, done) for e in filed.entries]
                values = SetListValues(
                    name=name, channel=filed.channel, send_clock=filed.send_clock, entries=entries
                )
                make_list(self.user, values, trusted=True)
            except ValidationError:
                done.left_out.append(f"Set list “{name}” cannot be read.")
            except Problem as problem:
                done.left_out.append(f"Set list “{name}”: {problem.sentence}")
            else:
                self.held.add(name.casefold())

    def _entry(self, filed: FiledEntry, name: str, done: Brought) -> Entry:
        values: dict[str, Any] = {**filed.values, "song": None, "variant": None}
        if filed.values.get("kind") != "pause":
            # One that is not in the file stays in the list, as a song that is gone.
            values["song"] = self.songs.get(filed.song or "") or uuid4()
        if filed.variant is not None:
            values["variant"] = self.variants.get((filed.song or "", filed.variant))
            if values["variant"] is None:
                done.left_out.append(
                    f"Set list “{name}”: a song of it is played without the rig that it named, which did not come."
                )
        return Entry.model_validate(values)
