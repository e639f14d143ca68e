"""Take songs from a file: each whole or not at all, and what cannot be used is said."""

from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, TypeVar
from uuid import uuid4

from django.db import transaction
from pydantic import ValidationError

from core.edge import Edge
from core.songfile import DEVICES, SET_LISTS, SONG, STUDIO, Archive, SongFileError, read_song
from core.units import format as fmt
from server.accounts.models import User
from server.clips import store
from server.config.problems import Problem
from server.config.words import some_of
from server.devices import panels
from server.devices.models import Device
from server.devices.profiles import OWN
from server.songfiles.one import Brought, Clash, OneSong
from server.songfiles.set_lists import SetListsIn, second
from server.songfiles.studio import DevicesFile, FiledList, ListsFile, StudioFile
from server.songs.queries import songs_of

S = TypeVar("S", bound=Edge)


def bring(user: User, file: Path, clash: Clash) -> Brought:
    """Take the song, or the songs and devices of a studio. Raises SongFileError and Problem.

    Nothing is kept of a file that cannot be taken. clash: what to do with a song whose name is there
    already; to ask is to take nothing yet.
    """
    done = Brought()
    with Archive(file) as archive, TemporaryDirectory(dir=store.scratch_folder()) as held:
        # Looked through one by one, and read again when their turn comes: never all at once.
        looks = [_look(archive, folder) for folder in _folders(archive)]
        devices = _devices(archive)
        lists = SetListsIn(user, _lists(archive))
        wanted = _named(user, looks, clash, done, lists.taken if clash == "ask" else [])
        size = sum(look.size_bytes for look, _ in wanted)
        if not store.room_for(size):
            raise Problem(
                507, "The disk is too full for this file. Nothing was taken.", "disk-full"
            )
        with transaction.atomic():
            for look, title in wanted:
                song = read_song(archive.document(f"{look.folder}{SONG}"))
                one = OneSong(user, archive, look.folder, song, title, Path(held), done)
                done.songs.append(one.made())
                lists.came(look.folder, one)
            _take_devices(user, devices, done)
            for look in looks:
                lists.was_here(look.folder, look.title)
            lists.take(clash, done)
    return done


@dataclass(frozen=True)
class _Look:
    """What is to be known of a song before any is taken."""

    folder: str
    title: str
    size_bytes: int


def _look(archive: Archive, folder: str) -> _Look:
    song = read_song(archive.document(f"{folder}{SONG}"))
    size = sum(clip.size_bytes for clip in song.clips)
    size += sum(picture.size_bytes for line in song.log for picture in line.pictures)
    return _Look(folder, song.song.title, size)


def _folders(archive: Archive) -> list[str]:
    if STUDIO not in archive.entries:
        return [""]
    folders = _of_the_studio(archive, STUDIO, StudioFile).songs
    if len(set(folders)) < len(folders):
        raise SongFileError("Two songs of this studio are one. Nothing was taken.")
    return folders


def _devices(archive: Archive) -> DevicesFile:
    if STUDIO not in archive.entries or DEVICES not in archive.entries:
        return DevicesFile(profiles=[])
    return _of_the_studio(archive, DEVICES, DevicesFile)


def _lists(archive: Archive) -> list[FiledList]:
    """Studios of before have none."""
    if STUDIO not in archive.entries or SET_LISTS not in archive.entries:
        return []
    return _of_the_studio(archive, SET_LISTS, ListsFile).lists


def _of_the_studio(archive: Archive, name: str, shape: type[S]) -> S:
    try:
        return shape.model_validate(archive.document(name))
    except ValidationError:
        raise SongFileError(
            f"“{name}” was written by a newer Fonodrome, or is damaged. Nothing was taken."
        ) from None


def _named(
    user: User, looks: list[_Look], clash: Clash, done: Brought, lists: list[str]
) -> list[tuple[_Look, str]]:
    """Those that are to be taken, each with the title that it gets. lists: set lists there already."""
    held = {title.casefold() for title in songs_of(user).values_list("title", flat=True)}
    taken = [look.title for look in looks if look.title.casefold() in held] + lists
    if taken and clash == "ask":
        raise Problem(
            409,
            f"You have {some_of(taken)} already. Take it as a second one, or leave it? Nothing was taken yet.",
            "name-taken", names=taken,
        )  # fmt: skip
    found = []
    for look in looks:
        title = look.title
        if title.casefold() in held:
            if clash == "skip":
                done.left_out.append(f"“{title}” is here already and was left as it is.")
                continue
            title = second(title, held, 115)
        held.add(title.casefold())
        found.append((look, title))
    return found


def _take_devices(user: User, devices: DevicesFile, done: Brought) -> None:
    """Those whose names are not there yet; one's own stay."""
    held = {d.name.casefold() for d in Device.objects.filter(owner=user)}
    for profile in devices.profiles:
        if profile.name.casefold() not in held:
            more = profile.model_dump(mode="json", exclude=set(OWN), exclude_defaults=True)
            own = {name: getattr(profile, name) for name in OWN}
            Device.objects.create(owner=user, more=more, **own)
    own_panels = panels.panels_of(user)
    unlike = [p for p in devices.panels if own_panels.get(p.name.casefold()) != p]
    if unlike:
        _, kept = panels.bring_in(user, unlike, "keep")
        done.left_out += [
            f"How “{name}” reads is here already and was left as it is." for name in kept
        ]


def received(stream: Any, size: int | None, most: int) -> Path:
    """The body of a request as a file in the scratch folder; whoever asked removes it. Raises Problem."""
    too_large = f"A song's file is at most {fmt.significant(most / 1024**3, 3)} GB."
    if size is not None and size > most:
        raise Problem(413, too_large, "too-large")
    if not store.room_for(size or 0):
        raise Problem(507, "The disk is too full for this file. Nothing was taken.", "disk-full")
    path = store.scratch_folder() / f"song-{uuid4().hex}.zip"
    try:
        with path.open("wb") as out:
            come = 0
            while piece := stream.read(1 << 20):
                come += len(piece)
                # Whatever was announced: what comes is counted.
                if come > most:
                    raise Problem(413, too_large, "too-large")
                out.write(piece)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    return path
