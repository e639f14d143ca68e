"""Shares of given stems: other amounts of them in B, and one dry sound beside an effect that moved."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy

from core.causes import say
from core.causes.pair import depth_db, power
from core.causes.state import State, sureness
from core.measure.results import Cause, ToSet
from core.measure.view import View
from core.units import format as fmt
from core.units.decibel import amplitude, decibels, power_decibels

_A_COPY, _THE_SUM_DB, _AS_IT_LIES = 1e-7, -50.0, 0.1
_NOT_IN, _SHOWS_DB = 0.01, 0.02


@dataclass(frozen=True)
class _Share:
    """A stem's amount in A and in B, as factors of the stem, B's after its level is undone."""

    name: str
    in_a: float
    in_b: float

    @property
    def db(self) -> float | None:
        """B against A; None where one of them does not hold it."""
        if min(abs(self.in_a), abs(self.in_b)) < _NOT_IN * max(abs(self.in_a), abs(self.in_b)):
            return None
        return float(decibels(abs(self.in_b / self.in_a)))

    @property
    def only(self) -> str:
        return "" if self.db is not None else "B" if abs(self.in_b) > abs(self.in_a) else "A"

    @property
    def flipped(self) -> bool:
        return self.db is not None and self.in_a * self.in_b < 0

    def title(self) -> str:
        if self.only:
            return f"“{self.name}” is only in {self.only}"
        if self.flipped:
            return f"“{self.name}” is inverted in B"
        assert self.db is not None
        return f"B holds {'more' if self.db > 0 else 'less'} of “{self.name}”"

    def told(self) -> str:
        value = f"only in {self.only}" if self.only else f"{say.signed(self.db or 0.0)} dB"
        return f"“{self.name}” {value}{', inverted' if self.flipped else ''}"

    def to_set(self) -> tuple[str, str]:
        """Words and value; no words where nothing is to be set."""
        if self.only:
            way = "Take" if self.only == "B" else "Bring"
            return f"{way} “{self.name}” {'out of' if self.only == 'B' else 'into'} B", ""
        assert self.db is not None
        value = f"{say.signed(-self.db)} dB" if abs(self.db) >= _SHOWS_DB else ""
        if self.flipped:
            return f"Invert “{self.name}” in B" + (" and set it by" if value else ""), value
        return (f"Set “{self.name}” in B by" if value else ""), value


_CHANCE, _SEARCH_S = 6.0, 1.0


def _misplaced(stem: str, x: np.ndarray, row: np.ndarray, rate_hz: int) -> str:
    """What is wrong with a stem's place in A, in a sentence; empty where it lies in A as it is.

    Its amount in A at every lag within a second: what that scatters by is chance.
    """
    size = scipy.fft.next_fast_len(x.shape[1] + row.shape[1], real=True)
    cross = sum(
        scipy.fft.rfft(one, size) * np.conj(scipy.fft.rfft(other, size))
        for one, other in zip(x, row, strict=True)
    )
    reach = min(round(_SEARCH_S * rate_hz), size // 2 - 1)
    amounts = np.roll(scipy.fft.irfft(cross, size), reach)[: 2 * reach + 1] / power(row)
    chance = _CHANCE * float(np.median(np.abs(amounts))) / 0.6745
    lag = int(np.argmax(np.abs(amounts))) - reach
    if abs(amounts[reach]) >= chance or chance > 0.5:
        return ""
    asked = "A stem has to lie as it does in the mix, from A's start."
    if abs(amounts[reach + lag]) > 2 * chance:
        way = "later" if lag > 0 else "earlier"
        return (
            f"“{stem}” lies in A {fmt.plural(abs(lag), 'sample')} {way} than it was given. {asked}"
        )
    return f"“{stem}” was not found in A. {asked}"


def _amounts(sound: np.ndarray, rows: Sequence[np.ndarray]) -> np.ndarray:
    """How much of each row is in a sound, by least squares: (rows,)."""
    parts = np.array([row.ravel() for row in rows])
    found: np.ndarray = np.linalg.solve(parts @ parts.T, parts @ sound.ravel())
    return found


def _made_of(sound: np.ndarray, rows: Sequence[np.ndarray]) -> np.ndarray:
    """The nearest that rows can come to a sound."""
    if not rows:
        return np.zeros_like(sound)
    found: np.ndarray = np.tensordot(_amounts(sound, rows), np.array(rows), axes=1)
    return found


def _more(x: np.ndarray, y: np.ndarray, rows: Sequence[np.ndarray]) -> tuple[np.ndarray, float]:
    """What B holds more of each row than A (factors of the row), and B's level as a factor.

    Where the rows are not all of A, the rest of A says what the level is: an unknown like the others.
    Where they are all of it, there is no rest: the amount that most of the sound agrees on says it.
    """
    if depth_db(x - _made_of(x, rows), x) > _THE_SUM_DB:
        amounts = _amounts(y, [x, *rows])
        return amounts[1:] / amounts[0], float(amounts[0])
    in_a, in_b = _amounts(x, rows), _amounts(y, rows)
    sizes = np.array([s * s * power(row) for s, row in zip(in_a, rows, strict=True)])
    held = sizes > _NOT_IN**2 * sizes.max()
    ratios, weights = in_b[held] / in_a[held], sizes[held]
    order = np.argsort(ratios)
    middle = np.searchsorted(np.cumsum(weights[order]), weights.sum() / 2)
    whole = float(ratios[order][middle])
    return (in_b / whole - in_a if whole else in_b), whole


def find_mix(state: State, stems: Sequence[View]) -> None:
    """Whether B holds other amounts of the given stems: least squares of the residual on them."""
    pair, x, y = state.pair, state.pair.inner, state.y
    given: list[View] = []
    rows: list[np.ndarray] = []
    for stem in stems:
        read = stem.read(pair.start, pair.frames).astype(np.float64)
        row = np.stack([read[min(k, len(read) - 1)] for k in range(len(x))])
        # What is silent here, or made of those before it, has no amount of its own.
        if power(row - _made_of(row, rows)) > _A_COPY * max(power(row), 1e-12 * power(x)):
            given, rows = [*given, stem], [*rows, row]
    if not rows:
        return
    more, whole = _more(x, y, rows)
    undone = y / (whole or 1.0) - np.tensordot(more, np.array(rows), axes=1)
    left = depth_db(undone - x, undone)
    takes = state.depth - left
    if takes < 6 or whole <= 0:
        _same_dry(state, given, rows)
        if not state.apart:
            said = [
                _misplaced(s.name, x, r, pair.rate_hz) for s, r in zip(given, rows, strict=True)
            ]
            state.out.stem_notes += [words for words in said if words]
        return
    in_a = _amounts(x, rows)
    # A stem as it lies in A has the amount one; what else sounds pulls the estimate a little.
    in_a = np.where(np.abs(in_a - 1) < _AS_IT_LIES, 1.0, in_a)
    shares = [
        _Share(stem.name, float(s), float(s + c))
        for stem, s, c in zip(given, in_a, more, strict=True)
    ]
    moved = [abs(c) * np.sqrt(power(row)) for c, row in zip(more, rows, strict=True)]
    most = shares[int(np.argmax(moved))]
    state.say(
        Cause(
            code="mix_share", title=most.title(), takes_db=round(takes, 2),
            sure=sureness(takes, left),
            evidence=f"Against A: {', '.join(share.told() for share in shares)}.",
            figures={
                f"stem_{k}_db": round(share.db, 3)
                for k, share in enumerate(shares, 1)
                if share.db is not None
            },
            words={f"stem_{k}": share.name for k, share in enumerate(shares, 1)},
        )
    )  # fmt: skip
    for share in sorted(shares, key=lambda share: share is not most):
        words, value = share.to_set()
        if words:
            state.out.later.append(
                (
                    ToSet(
                        code="mix_share", words=words, value=value, leaves_db=None, takes_db=None
                    ),
                    takes if share is most else 0.0,
                )
            )
    state.gains = state.gains * whole
    state.y, state.depth = undone, left


_DRY_S, _DRY_DB, _WET_DB, _AS_LOUD_DB, _WET_DRY_DB = 0.05, 0.5, -30.0, 2.0, 12.0
_ONE_SOUND, _ALIKE = 0.9, 0.7


def _same_dry(state: State, stems: Sequence[View], rows: Sequence[np.ndarray]) -> None:
    """Whether a stem is in both alike and the rest is one effect that moved on its own in each.

    The rest then has the same levels, band by band and moment by moment, and another waveform.
    """
    x, y, rate = state.pair.inner, state.y, state.pair.rate_hz
    step = round(_DRY_S * rate)
    for stem, dry in zip(stems, rows, strict=True):
        shares = [_share_of(dry, sound, step) for sound in (x, y)]
        if None in shares:
            continue
        one, other = (float(s) for s in shares if s is not None)
        wets = [sound - share * dry for sound, share in ((x, one), (y, other))]
        sizes = [power(wet) for wet in wets]
        if min(sizes) < float(amplitude(_WET_DB)) ** 2 * power(x) or other * one <= 0:
            continue
        off_db = float(decibels(other / one))
        apart_db = float(decibels(np.sqrt(sizes[1] / sizes[0]))) - off_db
        same = float(np.vdot(wets[0], wets[1])) / float(np.sqrt(sizes[0] * sizes[1]))
        alike = _alike(wets[0], wets[1], rate)
        if abs(apart_db) > _AS_LOUD_DB or abs(same) > _ONE_SOUND or alike < _ALIKE:
            continue
        wet_db = float(decibels(np.sqrt(sizes[0] / max(one * one * power(dry), 1e-30))))
        if wet_db > _WET_DRY_DB:
            continue
        state.say(
            Cause(
                code="modulation", title="Same dry, modulation apart", takes_db=0.0, sure="likely",
                evidence=(
                    f"“{stem.name}” is in both; beside it lies an effect {fmt.number(wet_db, 1)} dB against it, equally "
                    "loud in every band at every moment, and another waveform: it moves on its own."
                ),
                figures={"dry_db": round(off_db, 3), "wet_db": round(wet_db, 2), "wet_correlation": round(same, 3)},
                words={"sort": "apart", "stem": stem.name},
            )
        )  # fmt: skip
        state.out.later.append(
            (
                ToSet(
                    code="modulation", words="Switch the modulation off in both, or start it at the same moment",
                    value="", leaves_db=None, takes_db=None,
                ),
                0.0,
            )
        )  # fmt: skip
        # Level is what the dry sound says, not what two waveforms of the wet make of it.
        state.gains = state.gains * (other / one)
        state.y = y / (other / one)
        state.depth = depth_db(state.y - x, state.y)
        state.apart = True
        return


def _share_of(dry: np.ndarray, sound: np.ndarray, step: int) -> float | None:
    """How much of a stem is in a sound: the median over short stretches, which an effect does not pull."""
    count = dry.shape[1] // step
    shape = (len(dry), count, step)
    a, b = (v[:, : count * step].reshape(shape) for v in (dry, sound))
    own = (a * a).sum(axis=(0, 2))
    heard = own > 1e-4 * own.max(initial=0.0)
    if heard.sum() < 20:
        return None
    return float(np.median((a * b).sum(axis=(0, 2))[heard] / own[heard]))


def _alike(one: np.ndarray, other: np.ndarray, rate_hz: int) -> float:
    """Correlation of two sounds' levels over bands and moments, in dB about each band's own mean."""
    size = 1 << round(np.log2(0.05 * rate_hz))
    maps = []
    for sound in (one, other):
        _, _, spectra = scipy.signal.stft(sound.mean(axis=0), rate_hz, nperseg=size)
        energy = np.abs(spectra) ** 2
        edges = np.unique(np.geomspace(2, len(energy), 20).astype(int))
        bands = np.add.reduceat(energy, edges[:-1], axis=0)
        maps.append(power_decibels(bands + 1e-6 * bands.max()))
    centred = [m - m.mean(axis=1, keepdims=True) for m in maps]
    return float(np.corrcoef(centred[0].ravel(), centred[1].ravel())[0, 1])
