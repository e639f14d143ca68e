"""How long a slider takes to change picture and numbers, measured in the browser itself."""

import os

from e2e.browser import Browser

# A step of the feedback; done when the repeats' picture and the lattice's levels have changed.
_DRAG = """
const done = arguments[0];
const slider = document.querySelector('svg[role=slider][aria-label="Feedback"]');
const pictures = () => [
  document.querySelector('section[aria-label=Repeats] svg[role=img]').innerHTML,
  document.querySelector('svg[aria-label="Rhythm lattice"]').innerHTML];
const frame = () => new Promise(requestAnimationFrame);
(async () => {
  const times = [];
  for (let step = 0; step < 45; step++) {
    const before = pictures();
    const began = performance.now();
    const key = step < 25 ? 'ArrowLeft' : 'ArrowRight';
    slider.dispatchEvent(new KeyboardEvent('keydown', {key, bubbles: true}));
    let now = pictures();
    while ((now[0] === before[0] || now[1] === before[1]) && performance.now() - began < 3000) {
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


def measure() -> tuple[float, float]:
    """Median and 95th percentile in ms from a press to both pictures redrawn, demo song."""
    browser = Browser(os.environ["FONODROME_BENCH_URL"])
    try:
        browser.open("/")
        browser.press("button", "Open the demo studio")
        browser.press("link", "Time")
        browser.find("group", "Rhythm lattice")
        browser.sees("11 repeats above")
        browser.driver.set_script_timeout(60)
        median, high = browser.driver.execute_async_script(_DRAG)
        return float(median), float(high)
    finally:
        browser.close()
