"""Writes docs/review.md: what the review looks for, and how much of the labelled set it finds."""

from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests"))

from labelled import CLEAN, COUNTED_ON, FAULTS, alarms, elsewhere, is_found  # noqa: E402

HEAD = """# The review of the smooth surface

Made by `tools/review_page.py`. Every check looks at the limit surface, sampled a quarter of a cage face apart; where
samples are compared they are never compared across a boundary, a crease or a pole.

| check | what it says | above |
| --- | --- | --- |
{CHECKS}

A turn of less than 2° from one point to the next does not count: it does not show. Sizes are relative to the part, so
moving, turning or scaling it changes nothing but millimetres.

## The labelled set

Forms made by code (`tests/labelled.py`), sixteen variations of each kind. Thresholds were set on the first eight; these
counts are of the other eight, each as it is and again elsewhere, turned and of another size.
"""


CHECKS = (
    ("pinch", "tighter a quarter of a face from a pole, or the end of a crease, than in the second ring", "1.5 ×"),
    ("jump", "curvature at a point of a run is another than on both sides, which agree within 1.25 ×", "1.5 ×"),
    ("flat_spot", "a point of a run bends less than both its neighbours, and the run bends everywhere else", "5 ×"),
    ("ripple", "curvature goes up and down from face to face", "1/1000 of the run"),
    ("streak", "normals on a triangle, n-gon or twisted quad lie off those of a fair surface around", "1.25°"),
    ("unequal_turn", "a turn's supports differ", "1.25 ×"),
    ("missing_support", "a fold has no support on a side, where folds like it are held; a note if none is", "35°"),
    ("too_tight", "supports are so near that the turn reads as a line", "1/500 of the diagonal"),
    ("fold_under", "the surface runs back under its own face", "30 % of a face"),
)


def page() -> str:
    """The whole page."""
    checks = "\n".join(f"| `{key}` | {says} | {above} |" for key, says, above in CHECKS)
    lines = [HEAD.replace("{CHECKS}", checks), "| fault | check | found |", "| --- | --- | ---: |"]
    total = hits = 0
    for name, make in FAULTS.items():
        faults = [make(number) for number in COUNTED_ON]
        pairs = zip(faults, COUNTED_ON, strict=True)
        count = sum(is_found(one) + is_found(elsewhere(one, number)) for one, number in pairs)
        lines.append(f"| {name} | `{faults[0].check}` | {count} of {2 * len(faults)} |")
        total, hits = total + 2 * len(faults), hits + count
    lines += [f"| **all** | | **{hits} of {total}** |", "", "| clean form | alarms |", "| --- | ---: |"]
    false = 0
    for name, clean in CLEAN.items():
        count = sum(len(alarms(clean(number))) for number in COUNTED_ON)
        lines.append(f"| {name} | {count} |")
        false += count
    return "\n".join([*lines, f"| **all** | **{false}** |", ""])


if __name__ == "__main__":
    (ROOT / "docs" / "review.md").write_text(page(), encoding="utf-8")
