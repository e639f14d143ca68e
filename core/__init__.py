"""The arithmetic of the job: pure Python, without Django, HTTP, SQL or a clock of its own.

Times are seconds, gains linear and frequencies hertz inside; the edge models carry their unit in
the name of each field (`delay_ms`, `level_db`).
"""
