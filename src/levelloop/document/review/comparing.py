"""Two versions beside each other: what their reviews find, and how far their surfaces are apart, place by place."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.geometry.closest import closest_triangles
from levelloop.core.review import Report
from levelloop.core.review.findings import SEVERITIES, Severity
from levelloop.core.values import dataclass
from levelloop.document.part import Part

WORSE = 1.05  # times the value before: less is the same


@dataclass(frozen=True)
class Change:
    """How one kind of finding of a part differs between two versions: in count, and in the value of the worst."""

    part: str
    check: str
    severity: Severity
    kind: Literal["gone", "new", "better", "worse"]
    counts: tuple[int, int]
    values: tuple[float, float]
    unit: str

    @property
    def words(self) -> str:
        """It in a few words: "flipped: gone", "pinch: better, 3.2 → 1.1 ×"."""
        name = self.check.replace("_", " ")
        if self.kind in ("gone", "new"):
            return f"{name}: {max(self.counts)} {self.kind}"
        if self.counts[0] != self.counts[1]:
            return f"{name}: {self.kind}, {self.counts[0]} → {self.counts[1]}"
        return f"{name}: {self.kind}, {self.values[0]:.3g} → {self.values[1]:.3g} {self.unit}".rstrip()


def changes(before: Sequence[tuple[Part, Report]], after: Sequence[tuple[Part, Report]]) -> list[Change]:
    """What reviews of two versions find that the other does not, or finds otherwise, the most serious first."""
    old, new = _found(before), _found(after)
    result = []
    for key in dict.fromkeys((*old, *new)):
        part, check, _ = key
        (was, worst, unit, severity), (now, still, also, now_severity) = (
            found.get(key, (0, 0.0, "", "note")) for found in (old, new)
        )
        kind: Literal["gone", "new", "better", "worse"]
        if now == 0 or was == 0:
            kind = "gone" if now == 0 else "new"
        elif now != was or max(worst, still) > WORSE * min(worst, still):
            kind = "worse" if (now, still) > (was, worst) else "better"
        else:
            continue
        graver: Severity = min((severity, now_severity), key=SEVERITIES.index)
        result.append(Change(part, check, graver, kind, (was, now), (worst, still), unit or also))
    return sorted(result, key=lambda change: SEVERITIES.index(change.severity))


def apart(places: Floats, corners: Floats) -> Floats:
    """How far places (p, 3) are from a surface of triangles (t, 3, 3): (p,) mm."""
    _, found = closest_triangles(corners, places)
    return np.asarray(np.linalg.norm(found - places, axis=1))


# Helpers


def _found(
    reports: Sequence[tuple[Part, Report]],
) -> dict[tuple[str, str, int], tuple[int, float, str, Severity]]:
    """Count, worst value, unit and severity of each kind of finding of each part, by its name."""
    result: dict[tuple[str, str, int], tuple[int, float, str, Severity]] = {}
    for part, report in reports:
        for finding in report.findings:
            key = (part.name, finding.check, finding.valence)
            count, worst, unit, severity = result.get(key, (0, 0.0, finding.unit, finding.severity))
            graver: Severity = min((severity, finding.severity), key=SEVERITIES.index)
            result[key] = (count + finding.count, max(worst, finding.value), unit, graver)
    return result
