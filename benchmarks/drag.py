"""How long a slider takes to change picture and numbers, measured in the browser itself."""

import os

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


DRAGS = (
    ("Time", "Feedback", ["section[aria-label=Repeats] svg[role=img]", 'svg[aria-label="Rhythm lattice"]'], "11 repeats above"),
    ("Space", "tail begins at", ["svg[role=img][aria-label*=' phrases; ']"], "gaps clear"),
    ("Blend", "threshold", ["section[aria-label='Parallel compression'] svg[role=img]"], "Quiet sounds gain"),
    ("Blend", "wet path", ["section[aria-label='Mix laws'] svg[role=img]"], "An insert at"),
)  # fmt: skip


def measure() -> list[tuple[str, float, float]]:
    """Of each drag its name, median and 95th percentile in ms from a press to the picture redrawn."""
    browser = Browser(os.environ["FONODROME_BENCH_URL"])
    found = []
    try:
        browser.open("/")
        browser.press("button", "Open the demo studio")
        browser.driver.set_script_timeout(60)
        for step, slider, pictures, words in DRAGS:
            browser.press("link", step)
            browser.sees(words)
            browser.find("slider", slider)
            median, high = browser.driver.execute_async_script(_DRAG, slider, pictures)
            found.append((f"{step}, {slider}", float(median), float(high)))
        return found
    finally:
        browser.close()
