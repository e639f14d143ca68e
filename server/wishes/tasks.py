"""Search for settings in the worker."""

from uuid import UUID

from procrastinate.contrib.django import app

from server.jobs.runner import run_attempt
from server.wishes.models import Search
from server.wishes.services import search


@app.task(queue="measure", name="run_search")
def run_search(search_id: str) -> None:
    pk = UUID(search_id)
    run_attempt(Search, pk, lambda attempt: search(pk, attempt))
