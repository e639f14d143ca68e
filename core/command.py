"""Commands for scripts: what is asked wrongly is said in one sentence, and ends with 2."""

import argparse
import sys


class Parser(argparse.ArgumentParser):
    """Says what is wrong as a sentence, without the usage before it."""

    def error(self, message: str) -> None:  # type: ignore[override]
        print(f"{message[:1].upper()}{message[1:]}.", file=sys.stderr)
        raise SystemExit(2)
