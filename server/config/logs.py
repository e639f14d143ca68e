"""Lines of the log as JSON, without what is private: no bodies, no names, no tokens of links, no questions."""

import json
import logging
import re
from datetime import UTC, datetime

_SHARED = re.compile(r"(/shared/|/s/)[A-Za-z0-9_-]{8,}")
_QUESTION = re.compile(r"(/[^\s?\"']*)\?[^\s\"']*")
_QUOTED = re.compile(r"“[^”]{0,300}”")
_BEARER = re.compile(r"(?i)(bearer\s+|(?:password|token|cookie)\s*[:=]\s*)('[^']*'|\"[^\"]*\"|\S+)")


def plain(text: str) -> str:
    """What may stand in a log. Names that people gave stand in “quotes” in the core's sentences."""
    text = _SHARED.sub(r"\1…", text)
    text = _QUESTION.sub(r"\1?…", text)
    text = _BEARER.sub(r"\1…", text)
    return _QUOTED.sub("“…”", text)


class JsonLines(logging.Formatter):
    """One object a line: time (UTC), level, where it comes from, what is said, and the fault with its way."""

    def format(self, record: logging.LogRecord) -> str:
        at = datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds")
        line = {
            "at": at, "level": record.levelname, "from": record.name,
            "said": plain(record.getMessage()), "process": record.process,
        }  # fmt: skip
        if record.exc_info:
            line["fault"] = plain(self.formatException(record.exc_info))
        status = getattr(record, "status_code", None)
        if status is not None:
            line["status"] = status
        return json.dumps(line, ensure_ascii=False)
