"""Parameter types of operations: each reads typed or scripted values, checks them, and shows them."""

from levelloop.document.parameters.base import (
    AUTOMATIC_WORD,
    AXES_WORDS,
    LARGEST,
    Parameter,
    Reading,
    is_finite,
    quoted,
)
from levelloop.document.parameters.numbers import Angle, Count, Length, Number, PointNumber, Ratio, StepNumber, Within
from levelloop.document.parameters.picked import CutPath, PartNames, Picked, PointPairs
from levelloop.document.parameters.places import Axes, Curve, Lengths, PlaneOf, Points, Rims, Sizes, Vector
from levelloop.document.parameters.words import (
    Choice,
    Colour,
    Expression,
    OfPart,
    PartName,
    SurfaceOf,
    Text,
    Toggle,
    WhereSmoothed,
)

__all__ = [
    "AUTOMATIC_WORD",
    "AXES_WORDS",
    "LARGEST",
    "Angle",
    "Axes",
    "Choice",
    "Colour",
    "Count",
    "Curve",
    "CutPath",
    "Expression",
    "Length",
    "Lengths",
    "Number",
    "OfPart",
    "Parameter",
    "PartName",
    "PartNames",
    "Picked",
    "PlaneOf",
    "PointNumber",
    "PointPairs",
    "Points",
    "Ratio",
    "Reading",
    "Rims",
    "Sizes",
    "StepNumber",
    "SurfaceOf",
    "Text",
    "Toggle",
    "Vector",
    "WhereSmoothed",
    "Within",
    "is_finite",
    "quoted",
]
