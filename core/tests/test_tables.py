"""Tables as text: nothing breaks out of its cell, nothing is a formula."""

import csv
import io
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from core.tables import csv_text, markdown_table, plain


class Tables(unittest.TestCase):
    def test_what_a_spreadsheet_would_run_is_text(self):
        for hostile in ("=HYPERLINK(1)", "+1+1", "-cmd|x", "@SUM(A1)", "\t=1", "\r=1"):
            self.assertEqual(plain(hostile)[0], "'", hostile)
        self.assertEqual(
            [plain(v) for v in ("-2.5", -2.5, "+3", None, 0.1)], ["-2.5", "-2.5", "+3", "", "0.1"]
        )

    @settings(deadline=None)
    @given(st.lists(st.tuples(st.text(max_size=20), st.text(max_size=20)), min_size=1, max_size=4))
    def test_cells_come_back_as_they_were_written(self, rows):
        # The csv module reads a lone line end as its own; all else is kept letter by letter.
        rows = [tuple(t.replace("\r", "").replace("\0", "") for t in row) for row in rows]
        read = list(csv.reader(io.StringIO(csv_text([(("a", "b"), rows)]), newline="")))
        self.assertEqual([tuple(r) for r in read[1:]], [tuple(map(plain, row)) for row in rows])

    def test_a_bar_or_a_line_end_does_not_end_a_markdown_cell(self):
        lines = markdown_table(("x",), [("a|b\nc",)])
        self.assertEqual(lines, ["| x |", "| --- |", "| a\\|b c |", ""])
        self.assertEqual(markdown_table(("x",), []), [])
