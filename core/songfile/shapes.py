"""What a song's file says: one document, with the audio beside it as it came.

Whatever has a number in a database goes by a mark in here ('urn:fonodrome:clip-001'), given in the order
of the file, so that the same song makes the same bytes wherever it is kept.
"""

from datetime import UTC, datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import AwareDatetime, Field, StringConstraints

from core.blend import KeptBlend
from core.delay import DelayLine, KeptFigure
from core.devices import DeviceProfile
from core.edge import Edge
from core.space import KeptSpace
from core.tempo import TempoSection
from core.tempo.song import MOST_SECTIONS

SONG_VERSION = 2
"""Version 1 knew no pictures of notes."""
MOST_CLIPS, MOST_RIGS, MOST_VARIANTS, MOST_TESTS = 2000, 500, 9, 1000
MOST_SNAPSHOTS, MOST_LINES, MOST_PICTURES = 500, 50_000, 16

MarkText = Annotated[str, StringConstraints(pattern=r"^urn:fonodrome:[a-z]+-\d+$")]
Moment = Annotated[
    AwareDatetime, Field(ge=datetime(1970, 1, 1, tzinfo=UTC), lt=datetime(9000, 1, 1, tzinfo=UTC))
]
Document = dict[str, Any]
FileName = Annotated[str, StringConstraints(min_length=1, max_length=300)]


class SongValues(Edge):
    """The song itself."""

    title: str = Field(min_length=1, max_length=120)
    players: str = Field("", max_length=200)
    tempo_map: list[TempoSection] = Field(min_length=1, max_length=MOST_SECTIONS)
    sample_rate_hz: int = Field(48_000, ge=8_000, le=384_000)
    delay_value: str = Field("1/8.", min_length=1, max_length=60)
    device: DeviceProfile | None = None
    delays: list[DelayLine] = Field([], max_length=32)
    figure: KeptFigure | None = None
    space: KeptSpace | None = None
    blend: KeptBlend | None = None


class FiledClip(Edge):
    mark: MarkText
    name: str = Field(min_length=1, max_length=200)
    audio: str = Field(max_length=300, description="File beside the document; as it came")
    sha256: str = Field(pattern=r"^[0-9a-f]{64}$")
    size_bytes: int = Field(ge=0)
    made_at: Moment


class FiledVariant(Edge):
    mark: MarkText
    name: str = Field("", max_length=80)
    document: Document = Field(description="A rig document of any known version")
    moves: list[Document] = Field([], max_length=1000)


class FiledRig(Edge):
    mark: MarkText
    name: str = Field(min_length=1, max_length=80)
    feeds: list[Document] = Field([], max_length=1000, description="What plays into its sources")
    variants: list[FiledVariant] = Field(min_length=1, max_length=MOST_VARIANTS)


class FiledTest(Edge):
    """A null test that has its result: a file of its own beside the document, as it can be long."""

    mark: MarkText
    clip_a: MarkText
    clip_b: MarkText
    stems: list[MarkText] = Field([], max_length=100)
    options: Document
    limit: Document
    measurement: Document
    batch: int | None = Field(None, description="Tests with one number were asked for together")
    made_at: Moment
    finished_at: Moment | None


class FiledMeasurement(Edge):
    """A device measured on the bench, with its result."""

    mark: MarkText
    signal: Document
    plan: Document
    stand_in: str = Field("", max_length=20)
    take: MarkText | None = None
    result: Document
    made_at: Moment
    finished_at: Moment | None


class KeptVariant(Edge):
    id: UUID
    position: int | None = Field(ge=0, lt=MOST_VARIANTS)
    name: str = Field(max_length=80)
    document: Document
    moves: list[Document] = Field(max_length=1000)


class KeptRig(Edge):
    id: UUID
    name: str = Field(min_length=1, max_length=80)
    position: int = Field(ge=0, le=32_767)
    feeds: list[Document] = Field(max_length=1000)
    variants: list[KeptVariant] = Field(max_length=MOST_VARIANTS)


class KeptSong(Edge):
    """What a snapshot holds, once its marks are ids again."""

    song: SongValues
    rigs: list[KeptRig] = Field(max_length=MOST_RIGS)


class FiledSnapshot(Edge):
    name: str = Field(min_length=1, max_length=120)
    kind: Literal["named", "before", "daily"]
    content: Document
    made_at: Moment


class FiledPicture(Edge):
    file: FileName = Field(description="Beside the document; JPEG or PNG")
    sha256: str = Field(pattern=r"^[0-9a-f]{64}$")
    size_bytes: int = Field(ge=0)


class FiledLine(Edge):
    """A line of the log."""

    step: Literal["route", "time", "space", "blend", "listen", "verify", "log"]
    kind: str = Field(max_length=40)
    title: str = Field(max_length=200)
    text: str = Field("", max_length=10_000)
    number: str = Field("", max_length=40)
    tone: Literal["plain", "passed", "caution"] = "plain"
    place: str = Field("", max_length=200)
    data: Document = Field(default_factory=dict)
    pictures: list[FiledPicture] = Field([], max_length=MOST_PICTURES)
    made_at: Moment


class SongFile(Edge):
    """`song.json` of a song's file."""

    format: Literal["fonodrome-song"] = "fonodrome-song"
    version: Literal[2] = 2
    song: SongValues
    clips: list[FiledClip] = Field([], max_length=MOST_CLIPS)
    rigs: list[FiledRig] = Field([], max_length=MOST_RIGS)
    tests: list[FileName] = Field([], max_length=MOST_TESTS, description="Files of null tests")
    measurements: list[FileName] = Field([], max_length=MOST_TESTS, description="Of the bench")
    snapshots: list[FileName] = Field([], max_length=MOST_SNAPSHOTS)
    log: list[FiledLine] = Field([], max_length=MOST_LINES)
