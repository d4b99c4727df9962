"""Whether enough real ones are judged to say what other settings would lose, and whether they pass well enough."""

from __future__ import annotations

import scipy

from guardia.core.base.words import count_of

CONFIDENCE = 0.95
"""One-sided, with which a gain must lie above nothing, and a loss below MOST_LOST."""

MOST_LOST = 0.25
"""Settings are called better only where it is sure that they lose at most this share of the real ones that are kept
today: eleven real ones without a loss show it (no source)."""

LEAST_MARGIN = 0.05
"""Settings that the weakest real one passes by less are proved by nothing (no source)."""


def lacking_real(kept: int, lost: int = 0) -> str:
    """What is missing to bound the share of real ones that is lost (C. Clopper and E. Pearson, 1934).

    Args:
        kept: Judged real ones that the camera records today.
        lost: Of them lost on days that the settings were not chosen on.

    Returns:
        A sentence with what would settle it; empty where the share is bounded.
    """

    def bound(real: int) -> float:
        return 1.0 if lost >= real else float(scipy.special.betaincinv(lost + 1, real - lost, CONFIDENCE))

    if bound(kept) <= MOST_LOST:
        return ""
    need = next(n for n in range(kept + 1, kept + 1000) if bound(n) <= MOST_LOST)
    here = f"{count_of(kept, 'real occurrence')} that the camera records {'is' if kept == 1 else 'are'} judged"
    return (
        f"{here}: too few to say what other settings would lose. {need} would settle it: judge more days, or walk "
        f"through the view {count_of(need - kept, 'more time')} where people pass and import the clips."
    )


def lacking_margin(margin: float | None, before: float | None) -> str:
    """That the weakest real one hardly passes any more, where it did before.

    Args:
        margin: By how much it passes under the settings chosen (0.4 for 40 %), None where none triggers by itself.
        before: The same under those installed.

    Returns:
        A sentence with what would settle it; empty where it passes well, or passed no better before.
    """
    if margin is None or before is None or margin >= LEAST_MARGIN or before < LEAST_MARGIN:
        return ""
    return (
        f"The weakest real one passes by {margin:.0%}, by {before:.0%} with the installed settings. A smaller one "
        "would be lost, and these days do not show how small they come. Walk where it is faintest and import the clips."
    )
