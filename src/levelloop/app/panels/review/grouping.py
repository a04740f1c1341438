"""Findings in the order and the groups that the review shows them in."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from levelloop.core.review.findings import SEVERITIES, Finding
from levelloop.core.review.why import cause_of
from levelloop.core.values import dataclass
from levelloop.document.part import Part


@dataclass(frozen=True, eq=False)
class Group:
    """Findings of a part that stand together: what is serious, its notes, or what is accepted; rows: their numbers."""

    part: Part
    kind: Literal["serious", "notes", "accepted"]
    rows: tuple[int, ...]

    @property
    def key(self) -> tuple[str, str]:
        """What it is known by, whatever its rows are."""
        return (self.part.id, self.kind)


def grouped(parts: Sequence[tuple[Part, int]], rows: Sequence[tuple[str, Finding]]) -> list[Group]:
    """The groups of rows that stand part after part. parts: each with how many rows it has."""
    groups, start = [], 0
    for part, count in parts:
        here = range(start, start + count)
        start += count
        accepted = tuple(row for row in here if rows[row][1].accepted)
        serious = tuple(row for row in here if row not in accepted and rows[row][1].severity != "note")
        notes = tuple(row for row in here if row not in accepted and row not in serious)
        groups += [Group(part, "serious", serious)] if count else []
        groups += [Group(part, "notes", notes)] if notes else []
        groups += [Group(part, "accepted", accepted)] if accepted else []
    return groups


def in_order(finding: Finding) -> tuple[bool, int, int, int]:
    """The serious first, what has one cause together, and of that what is found most often; last what is accepted."""
    return (bool(finding.accepted), SEVERITIES.index(finding.severity), cause_of(finding.check), -finding.count)
