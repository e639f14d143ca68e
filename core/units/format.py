"""Write numbers as the interface reads them: true minus, decimal point, thin digit groups."""

import math

MINUS = "\u2212"
THIN = "\u202f"


def number(value: float, decimals: int) -> str:
    """Format with a fixed count of decimals: `number(-15319.14, 1)` is '−15 319.1'."""
    text = f"{abs(value):,.{decimals}f}".replace(",", THIN)
    negative = value < 0 and any(c in "123456789" for c in text)
    return (MINUS if negative else "") + text


def significant(value: float, digits: int = 6) -> str:
    """Format with at most so many digits that mean something, without trailing zeros."""
    if value == 0:
        return "0"
    decimals = min(9, max(0, digits - 1 - math.floor(math.log10(abs(value)))))
    text = number(value, decimals)
    return text.rstrip("0").rstrip(".") if "." in text else text


def signed(value: float, decimals: int) -> str:
    """Like `number`, with a plus sign where it is positive."""
    text = number(value, decimals)
    zero = not any(c in "123456789" for c in text)
    return text if zero or text.startswith(MINUS) else "+" + text


def clock(seconds: float) -> str:
    """Minutes and seconds: `clock(204.3)` is '3:24.3'."""
    tenths = round(abs(seconds) * 10)
    minutes, rest = divmod(tenths, 600)
    hours, minutes = divmod(minutes, 60)
    head = f"{hours}:{minutes:02d}" if hours else f"{minutes}"
    return f"{MINUS if seconds < 0 else ''}{head}:{rest // 10:02d}.{rest % 10}"


def plural(count: int, one: str, many: str | None = None) -> str:
    """`plural(1, 'sample')` is '1 sample'; `plural(65, 'sample')` is '65 samples'."""
    return f"{number(count, 0)} {one if abs(count) == 1 else (many or one + 's')}"
