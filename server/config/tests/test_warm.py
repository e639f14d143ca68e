"""What a web process has loaded when it is asked first, and what it loads beside its first answers."""

import json
import subprocess
import sys

from django.test import SimpleTestCase

ASKED = """
import gc, json, os, sys, threading

import server.config.wsgi
from core.sample_loops import KNOWN
from server.config import warm

def not_made():
    return [loop for loop in KNOWN if not loop.is_made]

def there():
    parts = ("scipy.signal", "scipy.optimize", "scipy.ndimage", "numba")
    return sorted(name for name in parts if name in sys.modules)

said = {"web": there(), "collects": gc.isenabled()}
back, there_to = os.pipe()
gate, load = threading.Event(), warm.load
warm.load = lambda: (gate.wait(), load())
if os.fork() == 0:
    answer = warm.waiting(lambda environ, start: there())
    page = answer({"PATH_INFO": "/"}, None)
    gate.set()
    first = [name for name in answer({"PATH_INFO": "/api/v1/session"}, None) if name != "numba"]
    warm.thread.join()
    os.write(there_to, json.dumps([page, first, there(), len(not_made())]).encode())
    os._exit(0)
os.wait()
said["answers"] = json.loads(os.read(back, 1000))
print(json.dumps(said))
"""


class Warm(SimpleTestCase):
    def test_the_program_begins_without_what_the_first_sums_need_and_no_computed_answer_goes_before_it(
        self,
    ):
        done = subprocess.run(
            [sys.executable, "-c", ASKED], capture_output=True, text=True, check=False
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        said = json.loads(done.stdout.splitlines()[-1])
        sums = ["scipy.ndimage", "scipy.optimize", "scipy.signal"]
        self.assertEqual(
            said, {"web": [], "collects": True, "answers": [[], sums, ["numba", *sums], 0]}
        )
