"""Take songs from a file: each whole or not at all, and what cannot be used is said."""

import shutil
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, Literal
from uuid import uuid4

from django.db import transaction
from pydantic import ValidationError

from core.devices import Panel
from core.songfile import (
    DEVICES,
    SONG,
    STUDIO,
    Archive,
    SongFile,
    SongFileError,
    read_song,
)
from server.accounts.models import User
from server.clips import store
from server.config.problems import Problem
from server.devices import panels
from server.devices.models import Device
from server.devices.profiles import OWN
from server.songfiles.one import Brought, OneSong
from server.songfiles.studio import DevicesFile, StudioFile
from server.songs.queries import songs_of

Clash = Literal["ask", "second", "skip"]


def bring(user: User, file: Path, clash: Clash) -> Brought:
    """Take the song, or the songs and devices of a studio. Raises SongFileError and Problem.

    Nothing is kept of a file that cannot be taken. clash: what to do with a song whose name is there
    already; to ask is to take nothing yet.
    """
    done = Brought()
    with Archive(file) as archive, TemporaryDirectory(dir=store.scratch_folder()) as held:
        folders = _folders(archive)
        songs = [(folder, read_song(archive.document(f"{folder}{SONG}"))) for folder in folders]
        if DEVICES in archive.entries and STUDIO in archive.entries:
            devices = DevicesFile.model_validate(archive.document(DEVICES))
        else:
            devices = DevicesFile(profiles=[])
        wanted = _named(user, songs, clash, done)
        size = sum(clip.size_bytes for _, song, _ in wanted for clip in song.clips)
        if not store.room_for(size):
            raise Problem(
                507, "The disk is too full for this file. Nothing was taken.", "disk-full"
            )
        with transaction.atomic():
            for folder, song, title in wanted:
                done.songs.append(
                    OneSong(user, archive, folder, song, title, Path(held), done).made()
                )
            _take_devices(user, devices, done)
    return done


def _folders(archive: Archive) -> list[str]:
    if STUDIO not in archive.entries:
        return [""]
    try:
        return StudioFile.model_validate(archive.document(STUDIO)).songs
    except ValidationError:
        raise SongFileError(
            "This studio was written by a newer Fonodrome, or is damaged. Nothing was taken."
        ) from None


def _named(
    user: User, songs: list[tuple[str, SongFile]], clash: Clash, done: Brought
) -> list[tuple[str, SongFile, str]]:
    """Those that are to be taken, each with the title that it gets."""
    held = {title.casefold() for title in songs_of(user).values_list("title", flat=True)}
    taken = [s.song.title for _, s in songs if s.song.title.casefold() in held]
    if taken and clash == "ask":
        names = ", ".join(f"“{t}”" for t in taken[:3])
        more = f" and {len(taken) - 3} more" if len(taken) > 3 else ""
        raise Problem(
            409, f"You have {names}{more} already. Take it as a second one, or leave it? Nothing was taken yet.",
            "name-taken", names=taken,
        )  # fmt: skip
    found = []
    for folder, song in songs:
        title = song.song.title
        if title.casefold() in held:
            if clash == "skip":
                done.left_out.append(f"“{title}” is here already and was left as it is.")
                continue
            count = 2
            while f"{title[:115]} {count}".casefold() in held:
                count += 1
            title = f"{title[:115]} {count}"
        held.add(title.casefold())
        found.append((folder, song, title))
    return found


def _take_devices(user: User, devices: DevicesFile, done: Brought) -> None:
    """Those whose names are not there yet; one's own stay."""
    held = {d.name.casefold() for d in Device.objects.filter(owner=user)}
    for profile in devices.profiles:
        if profile.name.casefold() not in held:
            more = profile.model_dump(mode="json", exclude=set(OWN), exclude_defaults=True)
            own = {name: getattr(profile, name) for name in OWN}
            Device.objects.create(owner=user, more=more, **own)
    unlike = [p for p in devices.panels if not _same(user, p)]
    if unlike:
        _, kept = panels.bring_in(user, unlike, "keep")
        done.left_out += [
            f"How “{name}” reads is here already and was left as it is." for name in kept
        ]


def _same(user: User, panel: Panel) -> bool:
    return panels.panels_of(user).get(panel.name.casefold()) == panel


def received(stream: Any, size: int | None, most: int) -> Path:
    """The body of a request as a file in the scratch folder; whoever asked removes it. Raises Problem."""
    if size is not None and size > most:
        raise Problem(413, f"A song's file is at most {most // 1024**3} GB.", "too-large")
    if not store.room_for(size or 0):
        raise Problem(507, "The disk is too full for this file. Nothing was taken.", "disk-full")
    path = store.scratch_folder() / f"song-{uuid4().hex}.zip"
    try:
        with path.open("wb") as out:
            shutil.copyfileobj(stream, out, 1 << 20)
        if path.stat().st_size > most:
            raise Problem(413, f"A song's file is at most {most // 1024**3} GB.", "too-large")
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    return path
