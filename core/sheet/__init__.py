"""The stage sheet: settings as the devices show them, cables, mixer, times and scenes, on one page."""

from core.sheet.settings import Owned, SettingLine, error_ms, settings_of
from core.sheet.sheet import SHEET_VERSION, SheetFacts, StageSheet, Verified, stage_sheet
from core.sheet.written import as_csv, as_markdown

__all__ = [
    "SHEET_VERSION", "Owned", "SettingLine", "SheetFacts", "StageSheet", "Verified", "as_csv", "as_markdown",
    "error_ms",
    "settings_of", "stage_sheet",
]  # fmt: skip
