"""Checks along runs: places where the smooth surface bends otherwise than before and after, flat spots, ripples.

Along a run that should be even curvature changes little from point to point. What is meant as a turn is left alone: a
point that loops on both sides are drawn up to, or that folds the cage while its neighbours do not.
"""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import AnyArray, Booleans, Floats, Integers, mask_of
from levelloop.core.review.findings import Finding
from levelloop.core.review.subject import Subject, each
from levelloop.core.review.surface.runs import Runs, runs_of
from levelloop.core.words import counted

LEAST_TURN = 2.0  # degrees from halfway to halfway: less does not show
JUMP = 1.5  # times the curvature of both neighbours, which agree
AGREE = 1.25  # times each other
SLOPE = 0.1  # of the jump, by which curvature may grow towards it
FLAT = 0.2  # of the curvature of both neighbours
RESTS = 0.75  # of the bend a point farther: a run that bends less and less towards a flat comes to rest there
DRAWN_UP = 0.6  # of the next step: nearer than that on both sides, loops are there to hold a turn
LIKE = 1.5  # times: steps farther apart than that are no even run
CHANGES = 4  # times that the change of curvature changes its sign, in a ripple; one point off its place makes three
LEAST_POINTS = 8  # of a run on which one flat place is not a side of the form
REACH = 3  # points to both sides that a ripple is looked for in
RIPPLE = 1e-3  # of the run: lower ripples do not show
PART = 1e-4  # of the part's diagonal, either
MEANT = 0.1  # of a step: higher waves are a form of their own
OWN_RING = 0.6  # times more at 45° from point to point: what coarse rings have of their own
ALONG = 0.5  # of how far a point bends otherwise, by which its neighbours may too
SELDOM = 0.2  # of the points of a run
FOLD = 30.0  # degrees more than elsewhere on the run: a fold that is meant


@each("corners")
def uneven(subject: Subject) -> AnyArray:
    """Where a run goes on otherwise than before and after, whatever the rest of it is like: (k,) by the ways out."""
    runs = runs_of(subject)
    every = np.arange(len(runs.bend))
    found = _jumps(runs, every, np.full(len(every), LEAST_POINTS))[0]
    found |= _flat_spots(runs, every, np.full(len(every), LEAST_POINTS))[0]
    # No step is longer than the part.
    found |= _ripples(runs, every, PART * runs.spacing)[0]
    result = np.zeros(subject.mesh.topology.n_corners, dtype=np.bool_)
    result[runs.corners[runs.ways]] = found[:, None]
    return result


def check_flow(subject: Subject) -> list[Finding]:
    """Jumps, flat spots and ripples along the runs of the cage."""
    mesh = subject.mesh
    if not subject.is_smoothed or mesh.n_faces == 0:
        return []
    marked = uneven(subject)
    if not marked.any():
        return []
    runs = runs_of(subject)
    at_point = marked[runs.corners].reshape(-1, 4).any(axis=1)
    # Both passes of a point.
    passes = np.flatnonzero(np.repeat(at_point, 2))
    count = runs.count[passes]
    flat, by_flat = _flat_spots(runs, passes, count)
    flat &= _seldom(runs, passes, flat)
    jump, by_jump = _jumps(runs, passes, count)
    jump &= _seldom(runs, passes, jump) & ~flat
    diagonal = float(np.linalg.norm(np.ptp(mesh.points, axis=0)))
    ripple, height = _ripples(runs, passes, np.maximum(RIPPLE * runs.length[passes], PART * diagonal))
    # What ripples also jumps, time and again.
    jump &= ~ripple
    flat &= ~ripple
    points = runs.points[passes // 2]
    findings = []
    for check, found, value, unit, words, advice in (
        ("jump", jump, by_jump, "×", _jump_words, "Move the point along its normal, onto the arc of its neighbours."),
        ("flat_spot", flat, by_flat, "×", _flat_words, "Raise the point onto the arc of its neighbours."),
        ("ripple", ripple, height, "mm", _ripple_words, "Even the run out, or relax it."),
    ):
        at, values = _worst(points[found], value[found])
        if len(at):
            worst, places = float(values[0]), mesh.points[at]
            message = words(len(at), worst)
            findings.append(Finding(check, "warn", "points", at, places, message, worst, unit, None, advice))
    return findings


# Helpers


def _worst(points: Integers, values: Floats) -> tuple[Integers, Floats]:
    """Points, each once, worst first, and how bad each is."""
    order = np.argsort(-values, kind="stable")
    point, first = np.unique(points[order], return_index=True)
    by_value = np.argsort(first)
    return point[by_value], values[order][first[by_value]]


def _shows(runs: Runs, passes: Integers) -> Booleans:
    shown: Booleans = np.abs(runs.turn)[passes] > LEAST_TURN
    return shown


def _meant(runs: Runs, passes: Integers) -> Booleans:
    """Which passes are at points that loops are drawn up to on both sides, or that lie between uneven steps."""
    ways = runs.ways[passes]
    near, beyond = runs.step[ways], runs.step[np.maximum(runs.ahead[ways], 0)]
    drawn_up = (near < DRAWN_UP * beyond).any(axis=1)
    return np.asarray(drawn_up | (near.max(axis=1) > LIKE * near.min(axis=1)))


def _jumps(runs: Runs, passes: Integers, count: Integers) -> tuple[Booleans, Floats]:
    """Which passes bend otherwise than both sides of them, where both sides agree; and by what factor: (p,), (p,).

    passes: (p,), both of each point; count: (p,) points of their runs.
    """
    around = runs.window(passes, 2)
    whole = np.asarray((around >= 0).all(axis=1))
    bend = np.where(whole[:, None], runs.bend[np.maximum(around, 0)], 0.0)
    shown: Booleans = whole[:, None] & _shows(runs, np.maximum(around, 0))
    here, near, beyond = bend[:, 2], bend[:, [1, 3]], bend[:, [0, 4]]
    # Even beside it: both neighbours bend alike.
    beside = _agree(near) & shown[:, [0, 1, 3, 4]].all(axis=1) & (here * near[:, 0] > 0)
    beside &= (beyond * near[:, :1] > 0).all(axis=1)
    by_near = _factor(here, near.mean(axis=1))
    # The narrow end of an egg bends more and more towards it; what stands out does so against its neighbours.
    rise = here - near.mean(axis=1)
    stands_out = (beyond.mean(axis=1) - near.mean(axis=1)) * np.sign(rise) >= -SLOPE * np.abs(rise)
    # Even but for it: what bends the neighbours too is this point's own.
    around_it = _agree(beyond) & shown[:, [0, 4]].all(axis=1)
    around_it &= np.abs(near[:, 0] - near[:, 1]) <= (AGREE - 1.0) * np.abs(beyond).max(axis=1)
    # Neighbours that bend along with it make a turn of it, not a point off its place.
    off = here - beyond.mean(axis=1)
    around_it &= (near.mean(axis=1) - beyond.mean(axis=1)) * np.sign(off) < ALONG * np.abs(off)
    by_beyond = _factor(here, beyond.mean(axis=1))
    # Alone on a flat: a rib is meant, so only where it stands alone both ways.
    alone: Booleans = _agree(near) & shown[:, 1:4].all(axis=1) & (here * near[:, 0] < 0) & ~shown[:, [0, 4]].any(axis=1)
    alone &= alone[np.arange(len(alone)) ^ 1]
    factor = np.where(alone, 99.0, np.maximum(np.where(beside, by_near, 0.0), np.where(around_it, by_beyond, 0.0)))
    factor = np.where(stands_out | alone, factor, 0.0)
    turn = np.where(whole[:, None], runs.turn[np.maximum(around, 0)], 0.0)
    folds = np.abs(turn[:, 2]) - np.abs(turn[:, [0, 4]]).max(axis=1) > FOLD
    differs = np.abs(turn[:, 2:3] - turn[:, [1, 3]]).max(axis=1) > LEAST_TURN
    found = (factor > JUMP) & differs & (alone | (~folds & (count >= LEAST_POINTS))) & ~_meant(runs, passes)
    return found, factor


def _seldom(runs: Runs, passes: Integers, found: Booleans) -> Booleans:
    """Which passes are of a run with few that were found: what comes time and again is the form itself: (p,)."""
    return runs.share(mask_of(passes[found], len(runs.bend)))[passes] <= SELDOM


def _agree(pair: Floats) -> Booleans:
    """Whether two curvatures (n, 2) go the same way and differ little."""
    size = np.abs(pair)
    alike: Booleans = (pair[:, 0] * pair[:, 1] > 0) & (size.max(axis=1) <= AGREE * size.min(axis=1))
    return alike


def _factor(here: Floats, usual: Floats) -> Floats:
    """How many times more, or less, curvature is than usual: at most 99, also where it goes the other way."""
    one, other = np.abs(here), np.abs(usual)
    low, high = np.minimum(one, other), np.maximum(one, other)
    return np.where(here * usual < 0, 99.0, np.minimum(high / np.maximum(low, np.maximum(high / 99.0, 1e-300)), 99.0))


def _flat_spots(runs: Runs, passes: Integers, count: Integers) -> tuple[Booleans, Floats]:
    """Which passes lie flat on a run that bends everywhere else, and how many times less they bend: (p,), (p,).

    passes: (p,); count: (p,) points of their runs.
    """
    around = runs.window(passes, 3)
    whole = (around[:, 1:6] >= 0).all(axis=1)
    bend = np.where(around >= 0, runs.bend[np.maximum(around, 0)], 0.0)
    shown = np.where(around >= 0, _shows(runs, np.maximum(around, 0)), True)
    elsewhere = shown[:, [1, 2, 4, 5]].all(axis=1) & (bend[:, [1, 2, 4, 5]] * bend[:, 2:3] > 0).all(axis=1)
    least = np.minimum(np.abs(bend[:, 2]), np.abs(bend[:, 4]))
    flat = whole & elsewhere & (count >= LEAST_POINTS) & (np.abs(bend[:, 3]) < FLAT * least)
    flat &= ~_meant(runs, passes)
    turn = np.where(around >= 0, np.abs(runs.turn[np.maximum(around, 0)]), 0.0)
    flat &= turn[:, [2, 4]].max(axis=1) - turn[:, [1, 5]].max(axis=1) < FOLD
    # A side that comes to rest little by little, as between the corners of a soft box, is meant.
    rests = np.abs(bend[:, [2, 4]]) < RESTS * np.abs(bend[:, [1, 5]])
    flat &= ~rests.all(axis=1)
    # At most 99 times, asked the other way around: beside what is flat the ratio has no number.
    small = np.maximum(np.abs(bend[:, 3]), least / 99.0)
    factor = np.divide(least, small, out=np.full(np.shape(small), 99.0), where=small > 0)
    return flat, np.where(flat, factor, 0.0)


def _ripples(runs: Runs, passes: Integers, least: Floats) -> tuple[Booleans, Floats]:
    """Which passes are where curvature goes up and down from point to point, and how high that is: (p,), (p,) mm.

    passes: (p,); least: (p,) mm, lower waves do not show. A wave of height h and length 2 s bends by h (π / s)² more at
    its crests than between.
    """
    around = runs.window(passes, REACH)
    there = around >= 0
    bend = np.where(there, runs.bend[np.maximum(around, 0)], 0.0)
    change = np.diff(bend, axis=1)
    both = there[:, 1:] & there[:, :-1]
    step = runs.spacing[passes]
    height = np.abs(change) * (step[:, None] / np.pi) ** 2 / 2.0
    high = both & (height > least[:, None])
    size = np.abs(bend)
    low, large = np.minimum(size[:, 1:], size[:, :-1]), np.maximum(size[:, 1:], size[:, :-1])
    turn = np.where(there, np.abs(runs.turn[np.maximum(around, 0)]), np.nan)
    usual = np.nan_to_num(np.nanmean(turn, axis=1))
    own = 1.0 + OWN_RING * usual / 45.0
    high &= (large > own[:, None] * low) | (bend[:, 1:] * bend[:, :-1] < 0)
    sign = np.where(high, np.sign(change), 0.0)
    changes, last = np.zeros(len(step), dtype=np.int64), np.zeros(len(step))
    most = np.zeros(len(step))
    for k in range(sign.shape[1]):
        here = sign[:, k]
        changes += (here != 0) & (last != 0) & (here != last)
        last = np.where(here != 0, here, last)
        most = np.maximum(most, np.where(here != 0, height[:, k], 0.0))
    found = (changes >= CHANGES) & (most < MEANT * step) & (np.nanmax(turn, axis=1) - usual < FOLD)
    near = runs.step[runs.ways[passes]]
    found &= near.max(axis=1) < LIKE * near.min(axis=1)
    return found, np.where(found, most, 0.0)


def _jump_words(count: int, value: float) -> str:
    return (
        f"Curvature jumps at {counted(count, 'point')} of runs that are even beside "
        f"{'it' if count == 1 else 'them'}: {value:.2g} × within one face."
    )


def _flat_words(count: int, value: float) -> str:
    return f"{counted(count, 'point lies', 'points lie')} flat on a run that bends before and after."


def _ripple_words(count: int, value: float) -> str:
    return f"The surface ripples at {counted(count, 'point')}, {value:.3g} mm high, from face to face."
