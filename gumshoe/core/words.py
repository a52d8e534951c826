"""How figures are put into words: no more digits than they deserve, nothing made to look certain."""


def share(value: float) -> str:
    """A probability as a percentage: ``80 %``, ``2.4 %``, ``over 99 %``, ``under 0.1 %``."""
    percent = value * 100.0
    if percent > 99.0 and value < 1.0:
        return "over 99 %"
    if 0.0 < percent < 0.1:
        return "under 0.1 %"
    return f"{percent:.1f} %" if percent < 10.0 else f"{percent:.0f} %"
