"""Stage sheets: as JSON for the page that prints them, as Markdown, as CSV."""

from typing import Any, Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import Router

from core.edge import Word
from core.sheet import StageSheet, as_csv, as_markdown
from server.config.answers import answer, download
from server.config.auth import user_of
from server.rigs.queries import variant_of
from server.sheets.services import sheet_of

router = Router(tags=["sheets"])


@router.get("/variants/{uuid:variant_id}/sheet", response=StageSheet)
def stage_sheet(
    request: HttpRequest, variant_id: UUID, scene: Word | None = None,
    form: Literal["json", "md", "csv"] = "json",
) -> HttpResponse:  # fmt: skip
    """The stage sheet of a variant, or of one scene of it."""
    user = user_of(request)
    variant = variant_of(user, variant_id)
    sheet = sheet_of(user, variant, scene)
    if form == "json":
        return answer(sheet)
    name = f"{sheet.facts.song}, {sheet.facts.rig} {variant.letter}, stage sheet"
    text = as_markdown(sheet) if form == "md" else as_csv(sheet)
    return download(text, f"{name}.{form}", "text/markdown" if form == "md" else "text/csv")


@router.get("/sheet-schema", response=dict[str, Any])
def sheet_schema(request: HttpRequest) -> dict[str, Any]:
    """The JSON schema of a stage sheet."""
    user_of(request)
    return StageSheet.model_json_schema()
