"""Start measurements, and find what was measured of a device before."""

from typing import Any
from uuid import UUID

from django.db import transaction

from core.bench import BenchPlan, BenchResult, TestSignal
from core.bench.plan import Reading
from core.bench.stand_in import STAND_INS
from core.proof import Proof, ProofFile, proof_of_bench
from core.units import format as fmt
from server.accounts.models import User
from server.accounts.quotas import in_turn
from server.bench.models import Measurement
from server.clips.queries import ready_clip_of
from server.config.problems import Problem
from server.jobs.models import Status
from server.log.services import write
from server.songs.models import Song


def start_measurement(
    user: User, song: Song, signal: TestSignal, plan: BenchPlan, stand_in: str, take_id: UUID | None
) -> Measurement:
    """Queue a measurement of a take, or of a stand-in. Raises Problem for neither and for both."""
    from server.bench.tasks import run_measurement

    if bool(stand_in) == (take_id is not None):
        raise Problem(
            422, "Choose a recorded take or a simulated device: one of the two.", "no-take"
        )
    take = None
    if take_id is not None:
        take = ready_clip_of(user, take_id)
        if take.song_id != song.pk:
            raise Problem(422, "The take must belong to this song.", "other-song")
    else:
        device = next((d for d in STAND_INS if d.key == stand_in), None)
        if device is None or signal.kind not in device.kinds:
            raise Problem(
                422, "There is no such simulated device for this measurement.", "no-stand-in"
            )
    plan = plan.model_copy(update={"earlier": earlier(song, plan)})
    with transaction.atomic():
        made = Measurement.objects.create(
            song=song, signal=signal.model_dump(mode="json"), plan=plan.model_dump(mode="json"),
            stand_in=stand_in, take=take,
        )  # fmt: skip
        in_turn(run_measurement, user, measurement_id=str(made.pk))
    return made


def earlier(song: Song, plan: BenchPlan) -> tuple[Reading, ...]:
    """What the same device read and did in measurements of this song, the newest of each reading."""
    if not plan.device:
        return ()
    rows = song.measurements.filter(
        plan__device=plan.device, signal__kind="delay", status=Status.DONE, deleted_at=None
    )
    found: dict[float, Reading] = {}
    for row in rows:
        result: dict[str, Any] = row.result or {}
        label, does = row.plan.get("label_ms"), (result.get("delay") or {}).get("time_ms")
        if label and does and label != plan.label_ms:
            found.setdefault(label, Reading(label_ms=label, does_ms=does))
    return tuple(found.values())[:64]


def result_of(row: Measurement) -> BenchResult | None:
    return None if row.result is None else BenchResult.model_validate(row.result)


def summary_of(row: Measurement) -> dict[str, Any]:
    """What the list of measurements shows of one."""
    result: dict[str, Any] = row.result or {}
    first: dict[str, Any] = next(
        (c for c in result.get("compared", []) if c["measured"] is not None), {}
    )
    return {
        "sentence": result.get("sentence"),
        "device": result.get("device") or row.plan.get("device") or "",
        "main": first.get("measured"),
        "main_name": first.get("name", ""),
        "main_unit": first.get("unit", ""),
    }


def log_measurement(pk: UUID) -> None:
    """The line that a finished measurement makes in the song's log."""
    row = Measurement.objects.get(pk=pk)
    told = summary_of(row)
    main, unit = told["main"], told["main_unit"]
    kind = row.signal["kind"]
    simulated = "simulated, no device was connected" if row.stand_in else ""
    write(
        row.song_id, "verify", "measurement", told["sentence"] or f"A {kind} was measured",
        text="; ".join(part for part in (told["device"], simulated) if part),
        number="" if main is None else f"{fmt.significant(main, 5)} {unit}".strip(),
        place=f"verify/measured/{row.pk}",
    )  # fmt: skip


def proof(row: Measurement) -> Proof:
    """The proof sheet of a measurement. Raises Problem where there is no result."""
    result = result_of(row)
    if result is None:
        raise Problem(409, "This measurement has no result yet.", "no-result")
    device = next((d.name for d in STAND_INS if d.key == row.stand_in), "")
    files = []
    if row.take is not None:
        files = [ProofFile(role="Take", name=row.take.name, sha256=row.take.blob_id or "")]
    return proof_of_bench(
        result, TestSignal.model_validate(row.signal), BenchPlan.model_validate(row.plan), files,
        row.song.title, row.finished_at, device,
    )  # fmt: skip
