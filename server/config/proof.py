"""A proof sheet as an answer: JSON by its schema, or Markdown."""

from typing import Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Router

from core.edge import Edge
from core.proof import Proof, as_markdown
from server.config.answers import download
from server.config.auth import user_of

router = Router(tags=["proof"])


class ProofAs(Edge):
    form: Literal["json", "md"] = "json"


def proof_answer(proof: Proof, form: str) -> Proof | HttpResponse:
    if form == "json":
        return proof
    return download(as_markdown(proof), "proof.md", "text/markdown")


@router.get("/proof-schema", response=dict[str, Any])
def proof_schema(request: HttpRequest) -> dict[str, Any]:
    """The JSON schema of a proof sheet."""
    user_of(request)
    return Proof.model_json_schema()
