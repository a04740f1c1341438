"""Small array helpers that every part of the core leans on."""

from __future__ import annotations

import sys
from typing import Any, TypeVar

import numpy as np
from numpy.typing import ArrayLike, NDArray

from levelloop.core.errors import MeshError

Floats = NDArray[np.float64]
Integers = NDArray[np.int64]
Booleans = NDArray[np.bool_]
AnyArray = NDArray[Any]
# Elements from which on SciPy gains time, and from which on also where it must be imported for that first (0.4 s).
WORTH_SCIPY, WORTH_IMPORTING = 20_000, 80_000
ArrayType = TypeVar("ArrayType", bound=AnyArray)


def worth_scipy(count: int) -> bool:
    """Whether so many elements are sorted out faster by SciPy than without it; the results are the same."""
    return count >= (WORTH_SCIPY if "scipy.sparse.csgraph" in sys.modules else WORTH_IMPORTING)


def frozen(array: ArrayType) -> ArrayType:
    """The array itself, made read-only."""
    array.setflags(write=False)
    return array


def as_points(values: ArrayLike) -> Floats:
    """An own (n, 3) float64 copy of the values.

    Raises MeshError where the shape is another or a number is not finite.
    """
    points = np.array(values, dtype=np.float64)
    if points.size == 0:
        return points.reshape(0, 3)
    if points.ndim != 2 or points.shape[1] != 3:
        raise MeshError(f"Points must be (n, 3), got {points.shape}.")
    finite = np.isfinite(points).all(axis=1)
    if not finite.all():
        raise MeshError(f"Point {int(np.argmin(finite))} has a coordinate that is not a finite number.")
    return points


def as_indices(values: ArrayLike) -> Integers:
    """An own (n,) int64 copy of the values."""
    return np.array(values, dtype=np.int64).reshape(-1)


def offsets_from_sizes(sizes: Integers) -> Integers:
    """Where each run starts, and the total at the end: (n + 1,).

    >>> offsets_from_sizes(np.array([3, 4])).tolist()
    [0, 3, 7]
    """
    offsets = np.zeros(len(sizes) + 1, dtype=np.int64)
    np.cumsum(sizes, out=offsets[1:])
    return offsets


def ranges(starts: Integers, sizes: Integers) -> Integers:
    """The runs start, start + 1, … of the given sizes, one after the other: (sum of sizes,).

    >>> ranges(np.array([10, 0]), np.array([2, 3])).tolist()
    [10, 11, 0, 1, 2]
    """
    total = int(sizes.sum())
    offsets = offsets_from_sizes(sizes)[:-1]
    return np.arange(total, dtype=np.int64) + np.repeat(starts - offsets, sizes)


def mask_of(indices: Integers, count: int) -> Booleans:
    """A mask of the given length, true at the indices: (count,)."""
    mask = np.zeros(count, dtype=np.bool_)
    mask[indices] = True
    return mask


def inverse_of(indices: Integers, count: int) -> Integers:
    """For each of count elements its place in indices, or −1: (count,)."""
    inverse = np.full(count, -1, dtype=np.int64)
    inverse[indices] = np.arange(len(indices))
    return inverse


def group_order(labels: Integers, count: int) -> tuple[Integers, Integers]:
    """Elements sorted by label, and where each label's run starts: (n,), (count + 1,)."""
    n = len(labels)
    if not worth_scipy(n):
        return np.argsort(labels, kind="stable"), offsets_from_sizes(np.bincount(labels, minlength=count))
    from scipy.sparse import csr_array

    # Turning rows into columns counts and places: linear, and half the time of a sort.
    columns = csr_array((np.arange(n), labels, np.arange(n + 1)), shape=(n, count)).tocsc()
    return columns.data, columns.indptr.astype(np.int64)


def distinct(values: ArrayLike) -> AnyArray:
    """The different values, sorted: (u,). By a sort: NumPy 2.4's own way takes fifty times as long on whole numbers.

    >>> distinct(np.array([3, 1, 3, 2])).tolist()
    [1, 2, 3]
    """
    ordered = np.sort(np.asarray(values), axis=None)
    if len(ordered) < 2:
        return ordered
    first = np.ones(len(ordered), dtype=np.bool_)
    np.not_equal(ordered[1:], ordered[:-1], out=first[1:])
    return np.asarray(ordered[first])


def union(one: ArrayLike, other: ArrayLike) -> Integers:
    """The different whole numbers that are among one or the other, sorted: (u,)."""
    return distinct(np.concatenate((np.ravel(one), np.ravel(other))).astype(np.int64))


def difference(values: Integers, others: Integers) -> Integers:
    """The different whole numbers among the first that are not among the others, sorted: (u,)."""
    different = distinct(values)
    return np.asarray(different[~np.isin(different, others)])


def unique_rows(values: AnyArray) -> tuple[AnyArray, Integers]:
    """The different rows of (n, d) values, sorted, and which of them each row is: (u, d), (n,)."""
    if len(values) == 0:
        return values, np.zeros(0, dtype=np.int64)
    order = np.lexsort(values.T[::-1])
    ordered = values[order]
    first = np.ones(len(values), dtype=np.bool_)
    first[1:] = (ordered[1:] != ordered[:-1]).any(axis=1)
    inverse = np.empty(len(values), dtype=np.int64)
    inverse[order] = np.cumsum(first) - 1
    return ordered[first], inverse


def box_of(points: Floats) -> tuple[Floats, Floats]:
    """The lowest and the highest corner of the box around points (…, n, d), n > 0: (…, d) each."""
    # Column by column: along rows of three the same takes thirty times as long.
    columns = [points[..., axis] for axis in range(points.shape[-1])]
    return np.stack([one.min(axis=-1) for one in columns], -1), np.stack([one.max(axis=-1) for one in columns], -1)


def sum_by(labels: Integers, values: AnyArray, count: int) -> Floats:
    """The sums of values, (n,) or (n, d), over equal labels: (count,) or (count, d)."""
    if values.ndim == 1:
        return np.asarray(np.bincount(labels, weights=values, minlength=count), dtype=np.float64)
    columns = [np.bincount(labels, weights=values[:, d], minlength=count) for d in range(values.shape[1])]
    # Of nothing at all they are counts, not sums.
    return np.stack(columns, axis=1).astype(np.float64, copy=False)


def connected_labels(pairs: Integers, count: int) -> tuple[int, Integers]:
    """How many connected groups the (n, 2) pairs make of count elements, and each one's group.

    Groups are numbered by their first element.
    """
    if count == 0:
        return 0, np.zeros(0, dtype=np.int64)
    if not worth_scipy(count):
        return _labels_of_few(pairs, count)
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    ones = np.ones(len(pairs), dtype=np.int8)
    graph = coo_array((ones, (pairs[:, 0], pairs[:, 1])), shape=(count, count))
    groups, labels = connected_components(graph.tocsr(), directed=False)
    return int(groups), labels.astype(np.int64)


def _labels_of_few(pairs: Integers, count: int) -> tuple[int, Integers]:
    """connected_labels by passing the smallest label on, halving the way to it each time (Shiloach & Vishkin 1982)."""
    labels = np.arange(count, dtype=np.int64)
    first, second = pairs[:, 0], pairs[:, 1]
    while True:
        smallest = np.minimum(labels[first], labels[second])
        np.minimum.at(labels, labels[first], smallest)
        np.minimum.at(labels, labels[second], smallest)
        while not np.array_equal(labels[labels], labels):
            labels = labels[labels]
        if np.array_equal(labels[first], labels[second]):
            break
    roots, groups = np.unique(labels, return_inverse=True)
    return len(roots), groups.reshape(-1).astype(np.int64)


def cycles(successor: Integers) -> tuple[Integers, Integers]:
    """The cycles of a permutation, each in order from its smallest element.

    successor: (n,), a permutation. Returns members (n,), cycle after cycle, and offsets (c + 1,).
    Pointer doubling (Wyllie 1979), so that long cycles cost no more than log n passes.
    """
    count = len(successor)
    here = np.arange(count, dtype=np.int64)
    smallest, jump = np.minimum(here, successor), successor[successor]
    while True:
        # Once a pass changes nothing the windows already reach around every cycle.
        wider = np.minimum(smallest, smallest[jump])
        if np.array_equal(wider, smallest):
            break
        smallest, jump = wider, jump[jump]
    # Steps to the first element, with that element as an end that absorbs.
    first = smallest == here
    distance = np.where(first, 0, 1)
    jump = np.where(first, here, successor)
    while not first[jump].all():
        distance = distance + distance[jump]
        jump = jump[jump]
    length = np.bincount(smallest, minlength=count)[first]
    offsets = offsets_from_sizes(length)
    cycle = (np.cumsum(first) - 1)[smallest]
    place = offsets[cycle] + np.where(first, 0, length[cycle] - distance)
    members = np.empty(count, dtype=np.int64)
    members[place] = here
    return members, offsets


def runs_of(successor: Integers) -> tuple[Integers, Integers, Booleans]:
    """Cycles and open runs of links, each in order; open ones from their first element.

    successor: (n,) the element after each, −1 for none; no element follows two. Returns members (n,), offsets (r + 1,)
    and which runs are closed (r,).
    """
    count = len(successor)
    linked = successor >= 0
    arrived = mask_of(successor[linked], count)
    if linked.all():
        members, offsets = cycles(successor)
        return members, offsets, np.ones(len(offsets) - 1, dtype=np.bool_)
    # An open run is closed for the walk: from its last element back to its first.
    here = np.flatnonzero(linked)
    _, run = connected_labels(np.stack((here, successor[here]), axis=1), count)
    first, last = np.flatnonzero(~arrived), np.flatnonzero(~linked)
    whole = successor.copy()
    whole[last[np.argsort(run[last])]] = first[np.argsort(run[first])]
    members, offsets = cycles(whole)
    sizes, starts = np.diff(offsets), offsets[:-1]
    cycle = np.repeat(np.arange(len(sizes)), sizes)
    begins = np.flatnonzero(~arrived[members])
    closed = ~mask_of(cycle[begins], len(sizes))
    turn = np.zeros(len(sizes), dtype=np.int64)
    turn[cycle[begins]] = begins - starts[cycle[begins]]
    place = np.arange(count) - starts[cycle]
    return members[starts[cycle] + (place + turn[cycle]) % sizes[cycle]], offsets, closed


def chain_runs(pairs: Integers, count: int) -> tuple[Integers, Integers, Booleans, Integers]:
    """Undirected (n, 2) pairs of elements joined into runs; elements where other than two pairs meet end a run.

    Returns the elements run after run (closed runs don't repeat their first), where each run starts (r + 1,), which are
    closed (r,), and the pairs in the same order as directed ones (n,): 2 · pair, plus 1 where it runs backwards. Open
    runs start at their lower end and come first.
    """
    ends = pairs.ravel()
    if len(ends) == 0:
        none = np.zeros(0, dtype=np.int64)
        return none, np.zeros(1, dtype=np.int64), np.zeros(0, dtype=np.bool_), none
    degree = np.bincount(ends, minlength=count)
    order, offsets = group_order(ends, count)
    two = np.flatnonzero(degree == 2)
    partner = np.full(len(ends), -1, dtype=np.int64)
    one, other = order[offsets[two]], order[offsets[two] + 1]
    partner[one], partner[other] = other, one
    # A directed pair d arrives at the slot d ^ 1 and goes on from that slot's partner.
    darts, starts, cyclic = runs_of(partner[np.arange(len(ends)) ^ 1])
    sizes = np.diff(starts)
    first, last = darts[starts[:-1]], darts[starts[1:] - 1]
    # Every run is there twice, once in each direction.
    back = last ^ 1
    ahead_first = (ends[first] < ends[back]) | ((ends[first] == ends[back]) & (first <= back))
    chosen = np.flatnonzero(np.where(cyclic, first % 2 == 0, ahead_first))
    rank = np.lexsort((first[chosen], np.where(cyclic[chosen], 0, ends[first[chosen]]), cyclic[chosen]))
    chosen = chosen[rank]
    darts = darts[ranges(starts[:-1][chosen], sizes[chosen])]
    closed = cyclic[chosen] | (ends[first[chosen]] == ends[back[chosen]])
    size = sizes[chosen]
    own = offsets_from_sizes(size + ~closed)
    members = np.empty(int(own[-1]), dtype=np.int64)
    members[ranges(own[:-1], size)] = ends[darts]
    members[own[1:][~closed] - 1] = ends[back[chosen]][~closed]
    return members, own, closed, darts


def chains(pairs: Integers, count: int) -> list[tuple[Integers, bool]]:
    """Undirected (n, 2) pairs joined into runs of elements.

    Returns (members, closed) for each run; closed runs don't repeat their first element. Elements
    where other than two pairs meet end a run.
    """
    members, offsets, closed, _ = chain_runs(pairs, count)
    bounds = offsets.tolist()
    return [(members[a:b], is_closed) for a, b, is_closed in zip(bounds[:-1], bounds[1:], closed.tolist(), strict=True)]


def one_cycle(starts: Integers, ends: Integers) -> Integers | None:
    """The order (n,) in which directed pairs follow each other as one closed run through different elements.

    Starts with the first pair; None where they are no such run.

    >>> one_cycle(np.array([4, 7, 2]), np.array([2, 4, 7])).tolist()
    [0, 2, 1]
    """
    following = {start: row for row, start in enumerate(starts.tolist())}
    order, there = [0], ends.tolist()
    while (row := following.get(there[order[-1]], 0)) != 0 and len(order) < len(there):
        order.append(row)
    closed = len(order) == len(there) == len(following) and there[order[-1]] == int(starts[0])
    return np.array(order) if closed else None


def tridiagonal(lower: Floats, diagonal: Floats, upper: Floats, right: Floats) -> Floats:
    """The solution of a diagonally dominant tridiagonal system: (n, d).

    lower, diagonal, upper: (n,), the first lower and the last upper entry are ignored; right: (n, d). Parallel cyclic
    reduction (Hockney & Jesshope 1981, section 5.4): each pass halves what hangs together.
    """
    count = len(diagonal)
    a, b, c, d = lower.copy(), diagonal.copy(), upper.copy(), right.copy()
    a[0] = c[-1] = 0.0
    here, gap = np.arange(count), 1
    while gap < count:
        before, after = np.maximum(here - gap, 0), np.minimum(here + gap, count - 1)
        alpha = np.where(here >= gap, -a / b[before], 0.0)
        beta = np.where(here < count - gap, -c / b[after], 0.0)
        b, d = (
            b + alpha * c[before] + beta * a[after],
            d + alpha[:, None] * d[before] + beta[:, None] * d[after],
        )
        a, c = alpha * a[before], beta * c[after]
        gap *= 2
    return np.asarray(d / b[:, None])


def gathered(columns: Floats, elements: Integers, room: Floats | None = None) -> Floats:
    """The values around some elements: columns (d, n), elements (g, p) → (d, g, p), in a room if one is given.

    The indices are not checked; the room holds at least as many numbers.
    """
    shape = (len(columns), *elements.shape)
    seen = np.empty(shape) if room is None else room[: len(columns) * elements.size].reshape(shape)
    for column, target in zip(columns, seen, strict=True):
        column.take(elements, out=target, mode="clip")
    return seen
