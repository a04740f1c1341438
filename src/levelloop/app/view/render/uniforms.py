"""What programs are told before they draw."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np


def tell(program: moderngl.Program, **uniforms: Any) -> None:
    """Gives a program's uniforms their values: numbers, tuples, or matrices as arrays."""
    for name, value in uniforms.items():
        uniform = program[name]
        assert isinstance(uniform, moderngl.Uniform)
        if isinstance(value, np.ndarray):
            uniform.write(np.ascontiguousarray(value.T, dtype="f4").tobytes())
        else:
            uniform.value = value
