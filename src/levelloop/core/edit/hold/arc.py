"""Arcs: the profile of a held edge that follows a true arc, instead of turning tightest at its tip.

The cross-section of the smooth surface is a uniform cubic B-spline. The edge moves in, a loop on either side lies a
little off the face, and a support lies on the face; where they lie for the least distance from the arc, with no place
tighter than 0.9 of its radius, is a table over the inner angle, made by least squares and checked in the tests.
"""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats

GAP = 1.5  # radii from the support to the next loop, as the table has it; nearer is as good
_PROFILES = np.array(
    [
        # inner angle, then in radii: how far the edge moves in; the loop along the face, and how far inwards of it; the
        # support along the face.
        [30, 2.71846, 3.25816, -0.03117, 4.21070],
        [35, 2.19002, 2.71720, -0.02846, 3.61815],
        [40, 1.79707, 2.31051, -0.02500, 3.15640],
        [45, 1.49549, 1.99582, -0.02285, 2.79754],
        [50, 1.25729, 1.74437, -0.02071, 2.50148],
        [55, 1.06502, 1.53920, -0.01810, 2.24185],
        [60, 0.90737, 1.36768, -0.01648, 2.03294],
        [65, 0.77596, 1.22303, -0.01429, 1.83881],
        [70, 0.66561, 1.09807, -0.01307, 1.68266],
        [75, 0.57168, 0.98990, -0.01190, 1.54307],
        [80, 0.49115, 0.89533, -0.01085, 1.41759],
        [85, 0.42194, 0.81250, -0.00975, 1.29917],
        [90, 0.36158, 0.73665, -0.00887, 1.19869],
        [95, 0.30919, 0.66907, -0.00799, 1.10287],
        [100, 0.26343, 0.60794, -0.00721, 1.01526],
        [105, 0.22339, 0.55208, -0.00649, 0.93352],
        [110, 0.18829, 0.50059, -0.00579, 0.85681],
        [115, 0.15751, 0.45300, -0.00514, 0.78446],
        [120, 0.13054, 0.40858, -0.00452, 0.71579],
        [125, 0.10695, 0.36689, -0.00394, 0.65028],
        [130, 0.08819, 0.31947, -0.00342, 0.59748],
        [135, 0.07062, 0.28053, -0.00296, 0.54012],
        [140, 0.05517, 0.24405, -0.00246, 0.48221],
        [145, 0.04183, 0.20960, -0.00198, 0.42456],
        [150, 0.03047, 0.17686, -0.00154, 0.36705],
        [155, 0.02100, 0.14552, -0.00113, 0.30955],
        [160, 0.01340, 0.11487, -0.00079, 0.25325],
        [165, 0.00736, 0.08726, -0.00050, 0.19578],
        [170, 0.00328, 0.05802, -0.00024, 0.13422],
    ]
)


def arc_profile(angle: Floats) -> tuple[Floats, Floats, Floats, Floats]:
    """The profile of an arc of radius 1 for inner angles in radians, 30° to 170°.

    How far the edge moves in, where the loop lies along the face and inwards of it, where the support lies: (n,) each.
    """
    degrees = np.degrees(angle)
    depth, along, inwards, support = (np.interp(degrees, _PROFILES[:, 0], _PROFILES[:, i]) for i in range(1, 5))
    return depth, along, inwards, support
