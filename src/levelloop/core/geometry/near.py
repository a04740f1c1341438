"""Which places lie near each other: found by cells, never by all pairs; groups that are never wider than asked for."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import (
    Booleans,
    Floats,
    Integers,
    connected_labels,
    distinct,
    group_order,
    ranges,
    unique_rows,
)

MOST_AHEAD = 8  # places looked at one after the other; beyond that cells are faster
CROWDED = 24  # pairs for each place, beyond which places are first put together by small cells
FEW_PIECES = 16  # up to which it is worth asking which places lie near another piece at all
_AHEAD = np.array([0.537, 0.618, 0.573])  # no longer than 1, so that no pair seems further apart


def near_groups(places: Floats, reach: float) -> tuple[int, Integers]:
    """Groups of places of which no two are further apart than reach, mm: how many, and each one's group.

    places: (n, 3). Equal places are one; then the nearest go together first. Numbered by their first place.
    """
    different, of_place = unique_rows(places + 0.0)
    _, label = _groups_of_different(different, reach)
    return _numbered(label[of_place])


def near_pairs(places: Floats, reach: float) -> Integers:
    """Pairs of different places (n, 3) within reach of each other, mm: (p, 2).

    Of places that are equal only the first is paired, with the next of them: k equal places give k − 1 pairs.
    """
    different, of_place = unique_rows(places + 0.0)
    order, offsets = group_order(of_place, len(different))
    first = order[offsets[:-1]] if len(different) else order
    same = np.flatnonzero(np.diff(of_place[order]) == 0)
    equal = np.stack((order[same], order[same + 1]), axis=1)
    pairs = _pairs(different, reach)
    assert pairs is not None
    return np.concatenate((equal, first[pairs]))


def near_any(places: Floats, reach: float) -> Floats:
    """How far each place's nearest other place is where that is within reach, else infinity: (n,)."""
    different, of_place = unique_rows(places + 0.0)
    apart = np.full(len(different), np.inf)
    apart[np.bincount(of_place, minlength=len(different)) > 1] = 0.0
    pairs = _pairs(different, reach, most=CROWDED * len(different))
    if pairs is None:
        count, label = _groups_of_different(different, reach)
        crowded = np.bincount(label, minlength=count)[label] > 1
        apart[crowded] = np.minimum(apart[crowded], reach)
        return np.asarray(apart[of_place])
    far = np.linalg.norm(different[pairs[:, 0]] - different[pairs[:, 1]], axis=1)
    for side in (0, 1):
        np.minimum.at(apart, pairs[:, side], far)
    return np.asarray(apart[of_place])


def near_across(places: Floats, piece: Integers, reach: float) -> tuple[int, Integers]:
    """Groups of places of different pieces that lie within reach of each other, one of each piece at most.

    places: (n, 3); piece: (n,). Equal places first, then the nearest. Returns how many groups, and each one's (n,).
    """
    meets = _in_boxes_of_others(places, piece, reach)
    if meets.all():
        return _groups_across(places, piece, reach)
    count, group = _groups_across(places[meets], piece[meets], reach)
    label = np.empty(len(places), dtype=np.int64)
    label[meets] = group
    label[~meets] = count + np.arange(len(places) - int(meets.sum()))
    return _numbered(label)


def in_boxes(places: Floats, low: Floats, high: Floats) -> Integers:
    """Which places (n, 3) lie in which boxes, low and high (b, 3) each: pairs (p, 2) of place and box.

    Boxes are put into cells of their usual size, large ones into several; each place looks into its own cell.
    """
    if len(places) == 0 or len(low) == 0:
        return np.zeros((0, 2), dtype=np.int64)
    origin = np.minimum(low.min(axis=0), places.min(axis=0))
    extent = np.maximum(high.max(axis=0), places.max(axis=0)) - origin
    size = max(float(np.median((high - low).max(axis=1))), float(extent.max()) / 1000.0, 1e-300)
    # Boxes much larger than most would fill very many cells: they are asked one by one.
    many = (np.floor((high - origin) / size) - np.floor((low - origin) / size) + 1).prod(axis=1)
    large = many > 64
    span = np.floor(extent / size).astype(np.int64) + 2
    small = np.flatnonzero(~large)
    first = np.floor((low[small] - origin) / size).astype(np.int64)
    counts = np.floor((high[small] - origin) / size).astype(np.int64) - first + 1
    total = counts.prod(axis=1)
    owner = np.repeat(np.arange(len(small)), total)
    step = ranges(np.zeros(len(small), dtype=np.int64), total)
    z = step % counts[owner, 2]
    y = step // counts[owner, 2] % counts[owner, 1]
    x = step // (counts[owner, 2] * counts[owner, 1])
    cell = first[owner] + np.stack((x, y, z), axis=1)
    key = (cell[:, 0] * span[1] + cell[:, 1]) * span[2] + cell[:, 2]
    order = np.argsort(key, kind="stable")
    own = np.floor((places - origin) / size).astype(np.int64)
    wanted = (own[:, 0] * span[1] + own[:, 1]) * span[2] + own[:, 2]
    start, end = np.searchsorted(key, wanted, sorter=order), np.searchsorted(key, wanted, side="right", sorter=order)
    place = np.repeat(np.arange(len(places)), end - start)
    box = small[owner[order[ranges(start, end - start)]]]
    inside = ((places[place] >= low[box]) & (places[place] <= high[box])).all(axis=1)
    found = [np.stack((place[inside], box[inside]), axis=1)]
    for one in np.flatnonzero(large).tolist():
        within = np.flatnonzero(((places >= low[one]) & (places <= high[one])).all(axis=1))
        found.append(np.stack((within, np.full(len(within), one)), axis=1))
    return np.concatenate(found)


# Helpers


def _in_boxes_of_others(places: Floats, piece: Integers, reach: float) -> Booleans:
    """Which places lie in the box around another piece, where there are few pieces: all else meets nothing."""
    names, number = np.unique(piece, return_inverse=True)
    if len(names) > FEW_PIECES:
        return np.ones(len(places), dtype=np.bool_)
    meets = np.zeros(len(places), dtype=np.bool_)
    for one in range(len(names)):
        own = number == one
        low, high = places[own].min(axis=0) - reach, places[own].max(axis=0) + reach
        meets |= ~own & ((places >= low) & (places <= high)).all(axis=1)
    return meets


def _groups_across(places: Floats, piece: Integers, reach: float) -> tuple[int, Integers]:
    different, of_place = unique_rows(places + 0.0)
    # Of several places of one piece on each other the first takes part, the others stand alone.
    _, first = np.unique(np.stack((of_place, piece), axis=1), axis=0, return_index=True)
    label = len(different) + np.arange(len(places))
    label[first] = of_place[first]
    pairs = _pairs(different, reach, most=CROWDED * len(different))
    if pairs is None:
        pairs = np.zeros((0, 2), dtype=np.int64)
    apart = np.linalg.norm(different[pairs[:, 0]] - different[pairs[:, 1]], axis=1)
    near = pairs[np.lexsort((pairs[:, 1], pairs[:, 0], np.round(apart / max(reach, 1e-300), 9)))]
    order, offsets = group_order(of_place, len(different))
    at = {one: order[offsets[one] : offsets[one + 1]] for one in distinct(near).tolist()}
    group = {one: [one] for one in at}
    pieces = {one: set(piece[members].tolist()) for one, members in at.items()}
    of = {one: one for one in at}
    # Pair by pair: only places near each other without being equal come here, and few do.
    for a, b in near.tolist():
        one, other = of[a], of[b]
        if one == other or pieces[one] & pieces[other]:
            continue
        both = group[one] + group[other]
        if _width(different[both], different[both]) <= reach:
            group[one] = both
            pieces[one] |= pieces.pop(other)
            for member in group.pop(other):
                of[member] = one
    target = np.arange(len(different) + len(places))
    for one, main in of.items():
        target[one] = main
    return _numbered(target[label])


def _numbered(label: Integers) -> tuple[int, Integers]:
    """The labels renumbered by their first element."""
    _, first, inverse = np.unique(label, return_index=True, return_inverse=True)
    rank = np.empty(len(first), dtype=np.int64)
    rank[np.argsort(first)] = np.arange(len(first))
    return len(first), rank[inverse.reshape(-1)]


def _groups_of_different(places: Floats, reach: float) -> tuple[int, Integers]:
    count = len(places)
    if count < 2:
        return count, np.arange(count)
    if float(np.linalg.norm(np.ptp(places, axis=0))) <= reach:
        return 1, np.zeros(count, dtype=np.int64)
    pairs = _pairs(places, reach, most=CROWDED * count)
    if pairs is not None:
        return _split_wide(places, places, pairs, reach)
    # Crowded: what shares a cell of half the width is one first.
    cell = np.floor(places / (reach / (2.0 * np.sqrt(3.0)))).astype(np.int64)
    _, of_place = unique_rows(cell)
    number = int(of_place.max()) + 1
    low, high = np.full((number, 3), np.inf), np.full((number, 3), -np.inf)
    np.minimum.at(low, of_place, places)
    np.maximum.at(high, of_place, places)
    pairs = _pairs(0.5 * (low + high), reach)
    assert pairs is not None
    _, label = _split_wide(low, high, pairs, reach)
    return number, label[of_place]


def _split_wide(low: Floats, high: Floats, pairs: Integers, reach: float) -> tuple[int, Integers]:
    """Connected groups, those that are wider than reach put together pair by pair, the nearest first.

    low, high: (n, 3) the box of each element.
    """
    count, label = connected_labels(pairs, len(low))
    box_low, box_high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    np.minimum.at(box_low, label, low)
    np.maximum.at(box_high, label, high)
    wide = np.linalg.norm(box_high - box_low, axis=1) > reach
    if not wide.any():
        return count, label
    ours = pairs[wide[label[pairs[:, 0]]]]
    middle = 0.5 * (low + high)
    apart = np.linalg.norm(middle[ours[:, 0]] - middle[ours[:, 1]], axis=1)
    # Rounded, so that what is symmetric is put together symmetrically as far as one order of pairs allows.
    order = np.lexsort((ours[:, 1], ours[:, 0], np.round(apart / max(reach, 1e-300), 9)))
    # Pair by pair: only what hangs together over more than reach comes here.
    group = {int(one): [int(one)] for one in distinct(ours).tolist()}
    of = {one: one for one in group}
    for a, b in ours[order].tolist():
        one, other = of[a], of[b]
        if one == other:
            continue
        both = group[one] + group[other]
        if _width(low[both], high[both]) <= reach:
            group[one] = both
            for member in group.pop(other):
                of[member] = one
    result = label.copy()
    fresh = count
    for one, members in group.items():
        result[members] = fresh + one
    return _numbered(result)


def _width(low: Floats, high: Floats) -> float:
    """The largest distance between any two of a few boxes."""
    gap = np.maximum(high[:, None] - low[None], high[None] - low[:, None])
    return float(np.sqrt((gap**2).sum(axis=2).max()))


def _pairs(places: Floats, reach: float, most: float = np.inf) -> Integers | None:
    """Pairs of different places within reach: (p, 2); None where there would be more than so many."""
    count = len(places)
    # Along a direction that grids do not know few places lie as near as that: looking at the next ones is enough.
    along = places @ _AHEAD
    order = np.argsort(along)
    sorted_ = along[order]
    ahead: list[Integers] = []
    for step in range(1, min(MOST_AHEAD, count)):
        near = np.flatnonzero(sorted_[step:] - sorted_[:-step] <= reach)
        if len(near) == 0:
            return np.concatenate(ahead) if ahead else np.zeros((0, 2), dtype=np.int64)
        ahead.append(_within(places, np.stack((order[near], order[near + step]), axis=1), reach))
    if count <= MOST_AHEAD:
        return np.concatenate(ahead) if ahead else np.zeros((0, 2), dtype=np.int64)
    return _pairs_by_cells(places, reach, most)


def _pairs_by_cells(places: Floats, reach: float, most: float) -> Integers | None:
    """Each place against those in its own cell and in the half of the cells around it that come later."""
    size = max(reach, float(np.ptp(places, axis=0).max()) * 2.0**-20)
    cell = np.floor((places - places.min(axis=0)) / size).astype(np.int64)
    span = cell.max(axis=0) + 3
    key = (cell[:, 0] * span[1] + cell[:, 1]) * span[2] + cell[:, 2]
    order = np.argsort(key, kind="stable")
    ordered = key[order]
    found: list[Integers] = []
    total = 0
    for x in (-1, 0, 1):
        for y in (-1, 0, 1):
            for z in (-1, 0, 1):
                if (x, y, z) < (0, 0, 0):
                    continue
                wanted = ordered + (x * span[1] + y) * span[2] + z
                start, end = np.searchsorted(ordered, wanted), np.searchsorted(ordered, wanted, side="right")
                if (x, y, z) == (0, 0, 0):
                    start = np.arange(1, len(order) + 1)
                many = np.maximum(end - start, 0)
                if total + int(many.sum()) > 8 * most + 1000:
                    return None
                one = np.repeat(order, many)
                other = order[ranges(start, many)]
                near = _within(places, np.stack((one, other), axis=1), reach)
                found.append(near)
                total += len(near)
                if total > most:
                    return None
    return np.concatenate(found)


def _within(places: Floats, pairs: Integers, reach: float) -> Integers:
    apart = places[pairs[:, 0]] - places[pairs[:, 1]]
    return np.asarray(pairs[np.einsum("ij,ij->i", apart, apart) <= reach * reach])
