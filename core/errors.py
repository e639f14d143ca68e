"""The few exceptions of the core. Each carries one plain sentence that a person can act on."""


class FonodromeError(ValueError):
    """Something the person gave cannot be used.

    `sentence` is shown as it is; `part` is the piece of the input to underline, where there is
    one; `code` is stable and meant for programs.
    """

    code = "unusable"

    def __init__(self, sentence: str, *, part: str | None = None) -> None:
        super().__init__(sentence)
        self.sentence = sentence
        self.part = part


class QuantityError(FonodromeError):
    """What was typed is not a quantity of the kind asked for."""

    code = "quantity"


class AudioError(FonodromeError):
    """A file cannot be used as audio."""

    code = "audio"


class TruncatedAudio(AudioError):
    """A file stops before the length that its header promises.

    `usable_frames` are there and sound as they should; `promised_frames` were announced.
    """

    code = "audio-truncated"

    def __init__(
        self, sentence: str, *, usable_frames: int, promised_frames: int, rate_hz: int
    ) -> None:
        super().__init__(sentence)
        self.rate_hz = rate_hz
        self.usable_frames = usable_frames
        self.promised_frames = promised_frames


class MeasureError(FonodromeError):
    """Two clips cannot be measured against each other."""

    code = "measure"


class Cancelled(Exception):
    """The person stopped a long computation. Not an error: nothing is wrong."""
