"""How long a slider takes to change picture and numbers, measured in the browser itself."""

import os

from benchmarks.rigs import stage_of_sixty
from core.routing import format_rig
from e2e.browser import Browser

# A step of a slider; done when every picture named has changed.
_DRAG = """
const [name, wanted, done] = arguments;
const slider = document.querySelector(`[role=slider][aria-label="${name}"]`);
const pictures = () => wanted.map((w) => document.querySelector(w).innerHTML);
const frame = () => new Promise(requestAnimationFrame);
(async () => {
  const times = [];
  for (let step = 0; step < 45; step++) {
    const before = pictures();
    const began = performance.now();
    const key = step < 25 ? 'ArrowLeft' : 'ArrowRight';
    slider.dispatchEvent(new KeyboardEvent('keydown', {key, bubbles: true}));
    let now = pictures();
    while (now.some((n, i) => n === before[i]) && performance.now() - began < 3000) {
      await frame();
      now = pictures();
    }
    if (step >= 5) times.push(performance.now() - began);
    await new Promise((r) => setTimeout(r, 60));
  }
  times.sort((a, b) => a - b);
  done([times[times.length >> 1], times[Math.floor(times.length * 0.95)]]);
})();
"""


COURSE = [
    "svg[data-closeness]",
    "section[aria-label=Arrivals] tbody",
    "section[aria-label=Sum] svg",
]
DRAGS = (
    ("Time", "", "Feedback", ["section[aria-label=Repeats] svg[role=img]"], "11 repeats above"),
    ("Space", "", "tail begins at", ["svg[role=img][aria-label*=' phrases; ']"], "gaps are clear"),
    ("Blend", "Lift the quiet", "threshold", ["section[aria-label='Out against in'] svg[role=img]"], "Quiet sounds gain"),
    ("Blend", "The same as one insert", "wet path", ["section[aria-label='Mix laws'] svg[role=img]"], "An insert at"),
)  # fmt: skip

# From a press on a stage to its settings, the one before showing others.
_SELECT = """
const [ids, done] = arguments;
const frame = () => new Promise(requestAnimationFrame);
const rows = () => document.querySelector('[aria-label=Settings]')?.innerHTML ?? '';
(async () => {
  const times = [];
  for (let n = 0; n < 24; n++) {
    const before = rows();
    const began = performance.now();
    document.querySelector(`[data-stage="${ids[n % ids.length]}"]`)
      .dispatchEvent(new MouseEvent('click', {bubbles: true}));
    while (rows() === before && performance.now() - began < 3000) await frame();
    await frame();
    if (n > 3) times.push(performance.now() - began);
    await new Promise((r) => setTimeout(r, 120));
  }
  times.sort((a, b) => a - b);
  done([times[times.length >> 1], times[Math.floor(times.length * 0.95)]]);
})();
"""


def _write(browser: Browser, text: str) -> None:
    """A new rig of the notation given, in hand."""
    browser.choose("Rig", "A new rig …")
    browser.press("button", "Begin with a bare rail")
    browser.find("radio", "Source")
    browser.press("tab", "In writing")
    area = browser.find("textbox", "Notation")
    browser.driver.execute_script(
        "const [a, text] = arguments;"
        "Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set.call(a, text);"
        "a.dispatchEvent(new Event('input', {bubbles: true}))", area, text,
    )  # fmt: skip
    browser.press("button", "Draw what is written")
    browser.find("radio", "Reverb", 30)
    browser.press("tab", "In writing")


def measure_course() -> list[tuple[str, float, float]]:
    """Of a stage's settings opened, and of its mix dragged: the demo's rig, and one of 60 stages."""
    browser = Browser(os.environ["FONODROME_BENCH_URL"])
    found = []
    try:
        browser.open("/")
        browser.press("button", "Open the demo studio")
        browser.driver.set_script_timeout(90)
        for name, ids in (("demo", ["hall", "echo"]), ("60 stages", ["hall", "echo"])):
            if name != "demo":
                _write(browser, format_rig(stage_of_sixty()))
                browser.choose("Source and output", "Source at Desk")
            browser.press("radio", "Reverb")
            browser.find("slider", "Mix")
            for what, script, given in (
                ("settings open", _SELECT, [ids]),
                ("mix dragged", _DRAG, ["Mix", COURSE]),
            ):
                if what == "mix dragged":
                    browser.press("radio", "Reverb")
                    browser.find("slider", "Mix")
                median, high = browser.driver.execute_async_script(script, *given)
                found.append((f"Route, {name}, {what}", float(median), float(high)))
        return found
    finally:
        browser.close()


# From a press on a step to its own view drawn, everything loaded before.
_STEP = """
const [name, wanted, done] = arguments;
const frame = () => new Promise(requestAnimationFrame);
(async () => {
  const link = [...document.querySelectorAll('nav[aria-label=Steps] a')].find((a) => a.innerText.includes(name));
  const began = performance.now();
  link.click();
  while (!document.querySelector(wanted) && performance.now() - began < 5000) await frame();
  await frame();
  done(performance.now() - began);
})();
"""
STEPS = (
    ("Time", 'svg[aria-label="Time ruler"]'),
    ("Space", "svg[role=img][aria-label*=' phrases; ']"),
    ("Blend", "section[aria-label='Out against in'] svg[role=img]"),
    ("Listen", "section[aria-label='By ear alone']"),
    ("Verify", "h1"),
    ("Route", "[role=radiogroup][aria-label=Course]"),
)


def measure_steps() -> list[tuple[str, float]]:
    """Of each step the median of five times in ms from a press to its view."""
    browser = Browser(os.environ["FONODROME_BENCH_URL"])
    found: dict[str, list[float]] = {name: [] for name, _ in STEPS}
    try:
        browser.open("/")
        browser.press("button", "Open the demo studio")
        browser.find("radio", "Compressor")
        for turn in range(6):
            for name, wanted in STEPS:
                took = browser.driver.execute_async_script(_STEP, name, wanted)
                # The first turn loads what each step is made of.
                if turn:
                    found[name].append(float(took))
        return [(name, sorted(times)[len(times) // 2]) for name, times in found.items()]
    finally:
        browser.close()


def measure() -> list[tuple[str, float, float]]:
    """Of each drag its name, median and 95th percentile in ms from a press to the picture redrawn."""
    browser = Browser(os.environ["FONODROME_BENCH_URL"])
    found = []
    try:
        browser.open("/")
        browser.press("button", "Open the demo studio")
        browser.driver.set_script_timeout(60)
        for step, tool, slider, pictures, words in DRAGS:
            browser.press("link", step)
            if tool:
                browser.press("link", tool)
            browser.sees(words)
            browser.find("slider", slider)
            median, high = browser.driver.execute_async_script(_DRAG, slider, pictures)
            found.append((f"{step}, {slider}", float(median), float(high)))
        return found
    finally:
        browser.close()
