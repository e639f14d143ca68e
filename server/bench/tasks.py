"""Run measurements in the worker."""

import tempfile
from pathlib import Path
from typing import Any
from uuid import UUID

from procrastinate.contrib.django import app

from core.bench import BenchPlan, TestSignal, measure_take, write_take
from core.bench.stand_in import Asked
from server.bench.models import Measurement
from server.bench.services import log_measurement
from server.clips.store import path_of, scratch_folder
from server.jobs.runner import Attempt, run_attempt


@app.task(queue="measure", name="run_measurement")
def run_measurement(measurement_id: str) -> None:
    pk = UUID(measurement_id)
    run_attempt(Measurement, pk, lambda attempt: _measure(pk, attempt), lambda: log_measurement(pk))


def _measure(pk: UUID, attempt: Attempt) -> dict[str, Any]:
    row = Measurement.objects.select_related("take__blob").get(pk=pk)
    signal = TestSignal.model_validate(row.signal)
    plan = BenchPlan.model_validate(row.plan)
    scratch = scratch_folder()
    with tempfile.TemporaryDirectory(prefix="bench-", dir=scratch) as held:
        if row.take is not None:
            assert row.take.blob
            path, name = path_of(row.take.blob), row.take.name
        else:
            attempt.report(0.01, "Playing through the simulated device")
            path, name = Path(held) / "take.wav", "the simulated take"
            asked = Asked(
                **({"time_ms": plan.label_ms} if plan.label_ms else {}),
                **({"each_db": plan.each_db} if plan.each_db is not None else {}),
                **({"first_db": plan.first_db} if plan.first_db is not None else {}),
            )
            write_take(path, row.stand_in, signal, asked)
        found = measure_take(
            path, signal, plan, name=name, progress=attempt.report, scratch=scratch
        )
    return {"result": found.model_dump(mode="json")}
