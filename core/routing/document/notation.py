"""The written form of a rig: one path a line, in words that a musician reads.

    rig "Two sends"
    guitar: source "Baritone guitar" (level -18 dB)
    guitar > compressor1 (ratio 3) > ways: split
    ways > mix
    ways > level1 (level -4 dB) > delay1 (time 1/8.) > mix [level -2.5 dB]
    mix: merge > main: output (stereo)

A part is described where it is first named: `id: kind "name" (settings)`, or `delay1 (settings)`
where the id is a kind with a number. A bare kind makes a new part. Square brackets hold the strip
of a merge's input. Lines that start with key, scene, siding, line, beside, cable, board, keep and wish say the rest.
"""

import difflib
import re
from collections.abc import Iterator
from typing import Any

from pydantic import BaseModel, ValidationError

from core.errors import QuantityError
from core.routing.document.fields import Parameter, parameters_of
from core.routing.document.kinds import KINDS, MOST_PLACES, Frame, KeptLine, Siding, kind_of
from core.routing.document.quoting import outside, split_at, unquoted, without_comment
from core.routing.document.rig import (
    MOST_NODES,
    Board,
    Cable,
    Intended,
    Key,
    Rail,
    Rig,
    RigError,
    Scene,
    Strip,
)
from core.routing.document.sidings import PLACE, Written, with_lines
from core.routing.document.wish_words import read_wish
from core.routing.document.wishes import MOST_WISHES, Wish
from core.routing.document.writing import NUMBERED, format_rig
from core.units import parse_number

MOST_LINES = 4000
_LONGEST = 60_000
_ALIASES = {
    "aux": "send", "comp": "compressor", "eq": "equaliser", "verb": "reverb", "amp": "power_amp",
    "mic": "microphone", "pedal": "volume", "speaker": "cabinet", "mixer": "passive_mixer",
    "outboard-loop": "outboard", "out": "output", "stage": "generic",
}  # fmt: skip
_FLAG_ALIASES = {"flip": "inverted", "phase invert": "inverted", "mute": "muted"}
_ITEM = re.compile(
    r"^(?:([A-Za-z][\w-]*)\s*:\s*)?([A-Za-z][\w-]*?)(?:\.(\d{1,4}))?\s*(?=$|[\s\"(\[])"
)
# Each begins at the start of a word and never gives back what it took: linear in any text.
_LABEL = re.compile(r"(?<![\w-])([A-Za-z][\w-]*+)\s*+:")
_LABELLED = re.compile(r"(?<![\w-])([A-Za-z][\w-]*+)\s*+:\s*+([A-Za-z][\w-]*+)")
_NUMBERED_FIRST = re.compile(r"(?<!\w)([a-z_]++\d++)\s*+[(\"]")
_NUMBERED_WORD = re.compile(r"(?<!\w)([a-z_]++\d++)(?!\w)")
_LINE_END = re.compile(r"\r\n|\r|\n")
_ESCAPED = {"n": "\n", "r": "\r"}
_OF_A_FRAME = ("line", "order", "half", "slots")
_LINE_OF = re.compile(r'([\w-]++)\s*+("(?:[^"\\]|\\.)*+")?\s*+:\s*+(.+)$')
_CABLE_OF = re.compile(r"([\w-]++)(?:\.(\d{1,2}))?\s*+(\(.*)$")
_FURTHER = re.compile(r"^\s*(?:key|scene|siding|line|slot|beside|cable|keep|wish)\s+[^:>\s]")


class NotationError(RigError):
    """The notation cannot be read at a place; `line` and `column` count from 1."""

    code = "notation"

    def __init__(self, line: int, column: int, sentence: str, part: str | None = None) -> None:
        super().__init__(f"Line {line}: {sentence}", part=part)
        self.line, self.column = line, column


def parse_rig(text: str, previous: Rig | None = None) -> Rig:
    """Read the notation. Bare kinds keep the ids that `previous` has for parts of that kind.

    Raises NotationError with line, column and, where a word is near a known one, a suggestion.
    """
    return _Reader(text, previous).read()


def _by_unit(same: list[Parameter], piece: str) -> Parameter:
    """Of settings with one label, that whose unit was written (a depth in ms, or in mm)."""
    return next((p for p in same if p.unit and piece.endswith(f" {p.unit.lower()}")), same[-1])


class _Reader:
    def __init__(self, text: str, previous: Rig | None) -> None:
        self.lines = _LINE_END.split(text)
        if self.lines[-1] == "":
            self.lines.pop()
        if len(self.lines) > MOST_LINES:
            raise NotationError(
                MOST_LINES + 1, 1,
                f"the notation has {len(self.lines)} lines; up to {MOST_LINES} can be read. "
                "The rig is kept as it was.",
            )  # fmt: skip
        self.previous = previous
        self.title = previous.title if previous else "Rig"
        self.nodes: dict[str, dict[str, Any]] = {}
        self.described: set[str] = set()
        self.rails: dict[str, Rail] = {}
        self.keys: dict[str, Key] = {}
        self.scenes: list[Scene] = []
        self.intended: list[Intended] = []
        self.wishes: list[Wish] = []
        self.frames: dict[str, Written] = {}
        self.board = Board()
        self.at = 0
        self.spare: dict[str, list[str]] = {}
        self.next: dict[str, int] = {}
        """By kind, the number from which on a bare one is looked for."""
        # What stands in quotes or behind a # names nothing.
        paths = "\n".join(unquoted(line) for line in self.lines if not _FURTHER.match(line))
        self.declared = set(_LABEL.findall(paths)) | set(_NUMBERED_FIRST.findall(paths))
        mentioned = self.declared | set(_NUMBERED_WORD.findall(text))
        # Parts may be named before the line that describes them.
        self.ahead = {
            label.replace("-", "_").lower(): word for label, word in _LABELLED.findall(paths)
        }
        self.bare: set[str] = set()
        for name, node in previous.nodes.items() if previous else ():
            if name not in mentioned:
                self.spare.setdefault(kind_of(node), []).append(name)

    def fail(self, sentence: str, part: str | None = None) -> NotationError:
        line = self.lines[self.at] if self.at < len(self.lines) else ""
        column = 1
        if part:
            whole = re.search(rf"(?<![\w-]){re.escape(part)}(?![\w-])", line)
            column = 1 + (whole.start() if whole else max(0, line.find(part)))
        return NotationError(self.at + 1, max(1, column), sentence, part)

    def read(self) -> Rig:
        later: list[tuple[int, str, str]] = []
        for place, raw in enumerate(self.lines):
            self.at = place
            line = without_comment(raw).strip()
            if not line:
                continue
            if len(line) > _LONGEST:
                raise self.fail(
                    f"this line is {len(line)} characters long; up to {_LONGEST} can be read."
                )
            word = line.split(None, 1)[0]
            if word in ("rig", "board"):
                getattr(self, f"_{word}")(line[len(word) :].strip())
            elif _FURTHER.match(line):
                later.append((self.at, word, line[len(word) :].strip()))
            else:
                self._path(line)
        for place, word, rest in later:
            self.at = place
            getattr(self, f"_{word}")(rest)
        return self._finish()

    def _finish(self) -> Rig:
        for name, node in self.nodes.items():
            if node["kind"] == "frame":
                node |= self._frame(name).fields(name, node)
        self.scenes = [with_lines(scene, self.frames) for scene in self.scenes]
        self._order_fades()
        try:
            return Rig(
                title=self.title,
                nodes={n: KINDS[v["kind"]](**v) for n, v in self.nodes.items()},
                rails=self.rails, keys=self.keys, scenes=tuple(self.scenes),
                intended=tuple(self.intended), board=self.board, wishes=tuple(self.wishes),
            )  # fmt: skip
        except ValidationError as error:
            first = error.errors()[0]
            message = str(first["msg"]).removeprefix("Value error, ")
            raise RigError(message) from None

    def _order_fades(self) -> None:
        """A crossfade begins at the input that was written first, unless another is marked."""
        for name, node in self.nodes.items():
            if node.get("crossfade_percent") is None:
                continue
            written = [port for port, rail in self.rails.items() if rail.target == name]
            marked = [port for port in written if self.rails[port].strip.first]
            for port in written:
                wanted = port == (marked or written)[0] and port != min(written)
                rail = self.rails[port]
                strip = rail.strip.model_copy(update={"first": wanted})
                self.rails[port] = rail.model_copy(update={"strip": strip})

    # Lines ---------------------------------------------------------------------------------
    def _rig(self, rest: str) -> None:
        name, _ = self._string(rest)
        if not name:
            raise self.fail('a rig\'s title stands in quotes: rig "Two sends".')
        self.title = name

    def _board(self, rest: str) -> None:
        found = dict(self._pairs(rest.strip("() "), ("supply", "volts", "width", "depth")))
        fields = {
            "supply": "supply_ma",
            "volts": "supply_v",
            "width": "width_mm",
            "depth": "depth_mm",
        }
        try:
            self.board = Board(**{fields[k]: self._plain(v) for k, v in found.items()})
        except ValidationError as error:
            raise self.fail(f"board: {error.errors()[0]['msg'].lower()}.") from None

    def _pairs(self, text: str, words: tuple[str, ...]) -> Iterator[tuple[str, str]]:
        for piece in split_at(text, ","):
            word = next((w for w in words if piece.startswith(w)), None)
            if word is None:
                raise self.fail(f"“{piece}” is not one of {', '.join(words)}.", piece)
            yield word, piece[len(word) :].strip()

    def _plain(self, text: str) -> float:
        try:
            return parse_number(text)[0]
        except QuantityError as error:
            raise self.fail(error.sentence, error.part) from None

    def _path(self, line: str) -> None:
        before: tuple[str, int | None] | None = None
        pieces = split_at(line, ">")
        if any(not p for p in pieces):
            raise self.fail("a rail ends with “>”: name where it goes.", ">")
        for place, piece in enumerate(pieces):
            name, port, strip = self._item(piece)
            if before is not None:
                self._connect(before, name, strip)
            elif strip != Strip():
                raise self.fail("square brackets stand behind where a rail goes in.", "[")
            if port is not None and place > 0 and place < len(pieces) - 1:
                raise self.fail(f"an output of {name} is named in the middle of a path.", piece)
            before = (name, port)

    def _connect(self, before: tuple[str, int | None], target: str, strip: Strip) -> None:
        source, port = before
        kind = KINDS[self.nodes[source]["kind"]]
        most = kind(**self.nodes[source]).most_outputs
        if port is None:
            port = next((n for n in range(most) if f"{source}.{n}" not in self.rails), most)
        if port >= most:
            raise self.fail(
                f"{source} has no output left. Put a split behind it." if most else
                f"nothing can leave {source}: it is an output.", source,
            )  # fmt: skip
        if f"{source}.{port}" in self.rails:
            raise self.fail(f"output {port + 1} of {source} is taken already.", source)
        self.rails[f"{source}.{port}"] = Rail(target=target, strip=strip)

    def _item(self, piece: str) -> tuple[str, int | None, Strip]:
        match = _ITEM.match(piece)
        if match is None:
            raise self.fail(f"“{piece[:40]}” is no part of a rig.", piece[:40])
        label, word, port = match.groups()
        rest = piece[match.end() :].strip()
        name, kind = self._which(label, word, piece)
        values: dict[str, Any] = {}
        shown, rest = self._string(rest)
        if shown is not None:
            values["name"] = shown
        if rest.startswith("("):
            inside, rest = _bracket(rest, "(", ")", self)
            values |= self._values(
                KINDS[self.nodes[name]["kind"] if kind is None else kind], inside
            )
            if (self.nodes[name]["kind"] if kind is None else kind) == "frame":
                frame = self._frame(name)
                frame.order = values.pop("order", frame.order)
                frame.half = values.pop("half", frame.half)
                frame.calls = values.pop("calls", frame.calls)
        strip = Strip()
        if rest.startswith("["):
            inside, rest = _bracket(rest, "[", "]", self)
            strip = self._model(Strip, self._values(Strip, inside))
        if rest:
            raise self.fail(f"“{rest[:30]}” is not understood here.", rest[:30])
        if kind is not None:
            if len(self.nodes) >= MOST_NODES:
                raise self.fail(f"a rig has up to {MOST_NODES} parts.", piece[:40])
            self.nodes[name] = {"kind": kind, "id": name, **values}
            if label is None and not values:
                self.bare.add(name)
        elif values:
            if name not in self.bare:
                raise self.fail(f"{name} is described already; say its settings once.", name)
            self.bare.discard(name)
            self.nodes[name] |= values
        if values or kind is not None:
            self._model(KINDS[self.nodes[name]["kind"]], self.nodes[name])
        return name, (int(port) - 1 if port else None), strip

    def _which(self, label: str | None, word: str, piece: str) -> tuple[str, str | None]:
        """The id that an item means, and its kind if it is new."""
        low = word.replace("-", "_")
        if label is not None:
            name = label.replace("-", "_").lower()
            if name in self.nodes and name not in self.bare:
                raise self.fail(f"“{label}” is described already.", label)
            if name in self.nodes and self.nodes[name]["kind"] == self._kind(word):
                return name, None
            return name, self._kind(word)
        if low in self.nodes:
            return low, None
        if low in self.ahead and (low not in KINDS):
            return low, self._kind(self.ahead[low])
        numbered = NUMBERED.match(low)
        if numbered and _ALIASES.get(numbered[1], numbered[1]) in KINDS:
            kind = _ALIASES.get(numbered[1], numbered[1])
            low = f"{kind}{numbered[2]}"
            return (low, None) if low in self.nodes else (low, kind)
        if low in KINDS or low in _ALIASES or word in _ALIASES:
            kind = self._kind(word)
            waiting = self.spare.get(kind, [])
            if waiting:
                return waiting.pop(0), kind
            number = self.next.get(kind, 1)
            while f"{kind}{number}" in self.nodes or f"{kind}{number}" in self.declared:
                number += 1
            self.next[kind] = number
            return f"{kind}{number}", kind
        raise self.fail(f"“{word}” is not known.{self._near(word)}", word)

    def _kind(self, word: str) -> str:
        low = word.lower().replace("-", "_")
        kind = _ALIASES.get(low, _ALIASES.get(word.lower(), low))
        if kind not in KINDS:
            raise self.fail(f"“{word}” is no kind of stage.{self._near(word)}", word)
        return kind

    def _near(self, word: str) -> str:
        close = difflib.get_close_matches(
            word.lower(), [*KINDS, *_ALIASES, *self.nodes], n=1, cutoff=0.6
        )
        return f" Did you mean {close[0]}?" if close else ""

    def _model(self, model: type[BaseModel], values: dict[str, Any]) -> Any:
        try:
            return model(**values)
        except ValidationError as error:
            first = error.errors()[0]
            field = str(first["loc"][0]) if first["loc"] else ""
            label = next((p.label for p in parameters_of(model) if p.field == field), field)
            message = str(first["msg"]).removeprefix("Value error, ")
            if not label:
                raise self.fail(f"{message[:1].lower()}{message[1:].removesuffix('.')}.") from None
            raise self.fail(f"{label}: {message[:1].lower()}{message[1:]}.", label) from None

    def _values(self, model: type[BaseModel], text: str) -> dict[str, Any]:
        fields: dict[str, list[Parameter]] = {}
        for p in parameters_of(model):
            fields.setdefault(p.label.lower(), []).append(p)
        found: dict[str, Any] = {}
        for piece in split_at(text, ","):
            low = piece.lower()
            if model is Frame and low.split(" ")[0] in _OF_A_FRAME:
                found |= self._of_a_frame(low.split(" ")[0], piece)
                continue
            negated = low.startswith("not ")
            low = _FLAG_ALIASES.get(low, low.removeprefix("not "))
            label = max((n for n in fields if _begins(low, n)), key=len, default=None)
            if label is None:
                close = difflib.get_close_matches(low.split(" ")[0], list(fields), n=1, cutoff=0.5)
                hint = f" Did you mean {fields[close[0]][0].label}?" if close else ""
                raise self.fail(f"“{piece}” is no setting here.{hint}", piece)
            parameter = _by_unit(fields[label], low)
            rest = piece[len(label) :].strip() if not negated and low == piece.lower() else ""
            found[parameter.field] = self._read(parameter, rest, negated, piece)
        return found

    def _read(self, parameter: Parameter, rest: str, negated: bool, piece: str) -> Any:
        if parameter.optional and rest == "none":
            return None
        if parameter.sort == "flag":
            if rest:
                raise self.fail(f"“{rest}” is too much behind {parameter.label}.", piece)
            return not negated
        if not rest:
            raise self.fail(f"{parameter.label} needs a value.", piece)
        if parameter.sort == "text":
            shown, more = self._string(rest)
            return shown if shown is not None and not more else rest
        if parameter.sort == "time":
            shown, more = self._string(rest)
            return shown if shown is not None and not more else rest
        if parameter.sort == "choice":
            word = rest.lower()
            if word not in parameter.choices:
                raise self.fail(
                    f"{parameter.label} is one of {', '.join(parameter.choices)}, not “{rest}”.", rest
                )  # fmt: skip
            return parameter.values[parameter.choices.index(word)]
        try:
            value, unit = parse_number(
                rest.removesuffix(":1") if parameter.unit == "ratio" else rest
            )
        except QuantityError as error:
            raise self.fail(f"{parameter.label}: {error.sentence}", rest) from None
        scale = {"k": 1e3, "khz": 1e3, "kHz": 1e3}.get(unit) if parameter.unit == "Hz" else None
        if parameter.unit == "ms" and unit == "s":
            scale = 1e3
        if parameter.unit == "s" and unit == "ms":
            scale = 1e-3
        if unit and scale is None and unit.lower() != parameter.unit.lower():
            raise self.fail(
                f"{parameter.label} is in {parameter.unit or 'plain numbers'}, not “{unit}”.", unit
            )
        value *= scale or 1
        return int(value) if parameter.sort == "whole" and value == int(value) else value

    def _string(self, text: str) -> tuple[str | None, str]:
        if not text.startswith('"'):
            return None, text
        match = re.match(r'"((?:[^"\\]|\\.)*+)"\s*+', text)
        if match is None:
            raise self.fail("a quote is opened and not closed.", '"')
        said = re.sub(r"\\(.)", lambda m: _ESCAPED.get(m[1], m[1]), match[1])
        return said, text[match.end() :]

    def _named(self, word: str) -> str:
        name = word.strip().replace("-", "_")
        if name not in self.nodes:
            close = difflib.get_close_matches(name, list(self.nodes), n=1, cutoff=0.5)
            raise self.fail(
                f"there is no “{word.strip()}” in this rig."
                + (f" Did you mean {close[0]}?" if close else ""), word.strip(),
            )  # fmt: skip
        return name

    def _key(self, rest: str) -> None:
        tap, _, keyed = rest.partition(">")
        if not keyed.strip():
            raise self.fail("a key reads: key TAP > STAGE.", rest)
        at = "in" if tap.strip().endswith(".in") else "out"
        name = self._named(tap.strip().removesuffix(".in").removesuffix(".out"))
        self.keys[self._named(keyed)] = Key(tap=name, at=at)

    def _scene(self, rest: str) -> None:
        name, rest = self._string(rest)
        match = re.match(r"(?:program\s+(\d{1,4})\s*)?(?::\s*(.*))?$", rest)
        if name is None or match is None:
            raise self.fail('a scene reads: scene "Verse" program 3: off delay1; on drive1.')
        off: list[str] = []
        on: list[str] = []
        values: dict[str, dict[str, Any]] = {}
        for piece in filter(None, split_at(match[2] or "", ";")):
            if piece.startswith(("off ", "on ")):
                (off if piece.startswith("off ") else on).append(
                    self._named(piece.split(" ", 1)[1])
                )
                continue
            word, _, settings = piece.partition("(")
            part = self._named(word)
            model = KINDS[self.nodes[part]["kind"]]
            values[part] = self._values(model, settings.rstrip(") "))
        program = int(match[1]) if match[1] else None
        self.scenes.append(
            self._model(
                Scene,
                {"name": name, "program": program, "off": off, "on": on, "values": values},
            )
        )

    # Sidings -------------------------------------------------------------------------------
    def _frame(self, name: str) -> Written:
        return self.frames.setdefault(name, Written())

    def _of_a_frame(self, word: str, piece: str) -> dict[str, Any]:
        """What is said of a frame's line among its settings; 'order' and 'half' are old words for it."""
        rest = piece[len(word) :].strip().strip('"')
        if word == "line":
            return {"calls": list(self._calls(rest))}
        if word == "slots":
            return {"places": self._place(rest)}
        if word == "half" and rest in ("whole", "first", "second"):
            return {"half": rest}
        if word == "order" and re.fullmatch(r"[A-Za-z]{0,16}", rest):
            return {"order": rest.upper()}
        wanted = "whole, first or second" if word == "half" else "up to 16 letters"
        raise self.fail(f"{word} is {wanted}, not “{rest[:30]}”.", rest[:30])

    def _place(self, word: str) -> int:
        """The number of a siding, in plain figures."""
        if not PLACE.fullmatch(word) or not 1 <= int(word) <= MOST_PLACES:
            raise self.fail(
                f"“{word[:30]}” is no siding: they count from 1 to {MOST_PLACES}.", word[:30]
            )
        return int(word)

    def _calls(self, text: str) -> tuple[int, ...]:
        words = text.replace(",", " ").split()
        if not words:
            raise self.fail("a line names its sidings by their numbers, or none.")
        return () if words == ["none"] else tuple(self._place(word) for word in words)

    def _standing(self, item: str) -> Any:
        """What stands somewhere in a frame, as it is described."""
        inner = _Reader("", None)
        inner.lines, inner.at = self.lines, self.at
        name, _, _ = inner._item(item.strip())
        return inner.nodes[name]

    def _siding(self, rest: str) -> None:
        head, _, item = rest.partition(">")
        words = head.split()
        if len(words) != 2 or not item:
            raise self.fail("a siding reads: siding frame1 2 > compressor1 (ratio 3).")
        frame, place = self._frame(self._named(words[0])), self._place(words[1])
        if place in frame.sidings:
            raise self.fail(f"siding {place} is described already.", words[1])
        frame.sidings[place] = self._standing(item)
        self._model(Siding, {"place": place, "stage": frame.sidings[place]})

    def _slot(self, rest: str) -> None:
        """As it was written when processors stood under letters."""
        head, _, item = rest.partition(">")
        words = head.split()
        if len(words) != 2 or not re.fullmatch(r"[A-Z]", words[1]) or not item:
            raise self.fail("a siding reads: siding frame1 2 > compressor1 (ratio 3).")
        frame = self._named(words[0])
        self._frame(frame).letters[words[1]] = self._standing(item)

    def _line(self, rest: str) -> None:
        match = _LINE_OF.match(rest)
        if match is None:
            raise self.fail(
                'a line reads: line frame1: 2 1 3, or line frame1 "Drive first": 2 1 3.'
            )
        frame = self._frame(self._named(match[1]))
        calls = self._calls(match[3])
        if match[2] is None:
            frame.calls = calls
            return
        name, _ = self._string(match[2])
        frame.lines.append(self._model(KeptLine, {"name": name or "", "calls": calls}))

    def _beside(self, rest: str) -> None:
        match = re.match(r"(\S+)\s+(stop|turn|processor|position)\s+(\w+)\s*\(([^)]*)\)$", rest)
        if match is None:
            raise self.fail("it reads: beside frame1 stop 1 (mix 50 %, level 0 dB).")
        pairs = {k: self._plain(v) for k, v in self._pairs(match[4], ("mix", "level"))}
        more = {"mix_percent": pairs.get("mix", 50.0), "level_db": pairs.get("level", 0.0)}
        at = match[3] if match[2] == "processor" else str(self._place(match[3]))
        self._frame(self._named(match[1])).beside.append((match[2], at, more))

    def _cable(self, rest: str) -> None:
        match = _CABLE_OF.match(rest)
        if match is None:
            raise self.fail('a cable reads: cable ways.2 (to jack "input 3", length 5 m).')
        port = f"{self._named(match[1])}.{int(match[2] or 1) - 1}"
        if port not in self.rails:
            raise self.fail(f"no rail leaves {match[1]} by output {match[2] or 1}.", match[1])
        inside, more = _bracket(match[3], "(", ")", self)
        if more:
            raise self.fail(f"“{more[:30]}” is not understood here.", more[:30])
        cable = self._model(Cable, self._values(Cable, inside))
        self.rails[port] = self.rails[port].model_copy(update={"cable": cable})

    def _wish(self, rest: str) -> None:
        if len(self.wishes) >= MOST_WISHES:
            raise self.fail(f"a rig has up to {MOST_WISHES} wishes.")
        try:
            values = read_wish(rest, self._number, self._string)
        except ValueError as error:
            raise self.fail(str(error)) from None
        self.wishes.append(self._model(Wish, values))

    def _number(self, text: str) -> tuple[float, str]:
        try:
            return parse_number(text)
        except QuantityError as error:
            raise self.fail(error.sentence, error.part) from None

    def _keep(self, rest: str) -> None:
        check, rest = self._one_word(rest)
        at = ""
        if re.match(r"at\s", rest):
            at, rest = self._one_word(rest[2:].strip())
        reason, rest = self._string(rest)
        if not check or rest:
            raise self.fail('it reads: keep CHECK at PART "reason".')
        self.intended.append(
            self._model(Intended, {"check": check, "at": at, "reason": reason or ""})
        )

    def _one_word(self, text: str) -> tuple[str, str]:
        """A word, in quotes where it is more than one; and what follows it."""
        shown, rest = self._string(text)
        if shown is not None:
            return shown, rest
        word, _, rest = text.partition(" ")
        return word, rest.strip()


def _begins(text: str, label: str) -> bool:
    return text == label or (text.startswith(label) and not text[len(label)].isalnum())


def _bracket(text: str, opened: str, closed: str, reader: _Reader) -> tuple[str, str]:
    for place, letter in outside(text):
        if letter == closed:
            return text[1:place], text[place + 1 :].strip()
    raise reader.fail(f"“{opened}” is opened and not closed.", opened)


__all__ = ["NotationError", "format_rig", "parse_rig"]
