"""What a Standard MIDI File says of time: tempo, metre, markers and texts, read without its notes.

Every event is walked over, for it says how long it is; nothing but these is kept, so that a large file
takes no longer than its bytes.
"""

from dataclasses import dataclass

from core.errors import FonodromeError


class MidiError(FonodromeError):
    """A file cannot be read as a tempo map."""

    code = "midi"


@dataclass(slots=True)
class Event:
    """kind: 'tempo' (number: microseconds a quarter), 'metre' (count, unit, clocks per click),
    'marker' or 'text'.
    """

    tick: int
    kind: str
    number: int = 0
    metre: tuple[int, int, int] = (4, 4, 24)
    text: str = ""


_DAMAGED = "This MIDI file is damaged: it stops or says something impossible in its {}. Nothing was changed."
_ENDLESS = "This MIDI file is damaged: it holds a length without an end. Nothing was changed."


def read_events(data: bytes) -> tuple[int, list[Event], int, list[str]]:
    """Ticks a quarter, events by time, the tick at which the file ends, and notes in words.

    Chunks that are no tracks are passed over; tracks that the header promises and the file does not
    hold are noted. Raises MidiError for what is no MIDI file, is damaged, or has no beats.
    """
    if not data.startswith(b"MThd"):
        raise MidiError("This is not a Standard MIDI File: it does not begin with its header.")
    if len(data) < 14 or int.from_bytes(data[4:8], "big") < 6:
        raise MidiError(_DAMAGED.format("header"))
    kind, promised, division = (
        int.from_bytes(data[at : at + 2], "big") for at in (8, 10, 12)
    )  # fmt: skip
    if kind == 2:
        raise MidiError("This is a MIDI file of format 2, of separate songs; 0 and 1 are read.")
    if kind > 2:
        raise MidiError(_DAMAGED.format("header"))
    if division & 0x8000:
        raise MidiError("This MIDI file counts film frames, not beats: it holds no tempo map.")
    if division == 0:
        raise MidiError(
            "This MIDI file gives a quarter no ticks: where its events lie cannot be told."
        )
    at = 8 + int.from_bytes(data[4:8], "big")
    events: list[Event] = []
    end, tracks = 0, 0
    while at + 8 <= len(data):
        length = int.from_bytes(data[at + 4 : at + 8], "big")
        if data[at : at + 4] == b"MTrk":
            if at + 8 + length > len(data):
                raise MidiError(_DAMAGED.format("tracks"))
            end = max(end, _track(data, at + 8, at + 8 + length, events))
            tracks += 1
        at += 8 + length
    notes = []
    if tracks == 0 and promised:
        raise MidiError(_DAMAGED.format("tracks"))
    if tracks < promised:
        notes.append(f"The file promises {promised} tracks and holds {tracks}: those were read.")
    events.sort(key=lambda event: event.tick)
    return division, events, end, notes


def _track(data: bytes, at: int, stop: int, events: list[Event]) -> int:
    """Adds a track's events; its length in ticks."""
    tick, running = 0, 0
    try:
        while at < stop:
            delta = data[at]
            at += 1
            if delta >= 0x80:
                delta, at = _long(data, at, delta)
            tick += delta
            status = data[at]
            if status < 0x80:
                status = running
                if status < 0x80:
                    raise MidiError(_DAMAGED.format("tracks"))
            else:
                at += 1
            if status < 0xF0:
                running = status
                at += 1 if 0xC0 <= status < 0xE0 else 2
                continue
            kind = 0
            if status == 0xFF:
                kind = data[at]
                at += 1
            elif status not in (0xF0, 0xF7):
                # System common and real time have no place in a file; they are short.
                at += {0xF1: 1, 0xF2: 2, 0xF3: 1}.get(status, 0)
                continue
            length = data[at]
            at += 1
            if length >= 0x80:
                length, at = _long(data, at, length)
            if at + length > stop:
                raise MidiError(_DAMAGED.format("tracks"))
            if status == 0xFF:
                if kind == 0x2F:
                    return tick
                if kind in (0x01, 0x06, 0x51, 0x58):
                    _keep(events, tick, kind, data[at : at + length])
            at += length
    except IndexError:
        raise MidiError(_DAMAGED.format("tracks")) from None
    if at > stop:
        raise MidiError(_DAMAGED.format("tracks"))
    return tick


def _long(data: bytes, at: int, first: int) -> tuple[int, int]:
    """A number of up to four bytes of seven bits."""
    value = first & 0x7F
    for _ in range(3):
        byte = data[at]
        at += 1
        value = value << 7 | byte & 0x7F
        if byte < 0x80:
            return value, at
    raise MidiError(_ENDLESS)


def _keep(events: list[Event], tick: int, kind: int, body: bytes) -> None:
    if kind == 0x51:
        if len(body) != 3:
            raise MidiError(_DAMAGED.format("tracks"))
        events.append(Event(tick, "tempo", number=max(1, int.from_bytes(body, "big"))))
    elif kind == 0x58:
        if len(body) < 3:
            raise MidiError(_DAMAGED.format("tracks"))
        metre = (body[0], 2 ** min(body[1], 20), body[2])
        events.append(Event(tick, "metre", metre=metre))
    else:
        try:
            text = body.decode("utf-8")
        except UnicodeDecodeError:
            text = body.decode("latin-1")
        events.append(Event(tick, "marker" if kind == 0x06 else "text", text=text))
