"""Product: one movement by another."""

from __future__ import annotations

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param

__all__ = ["MODULE"]


def kernel(a: Row, b: Row, amount: Row, offset: Row, out: Row, state: State) -> None:
    """State: unused."""
    for i in range(out.size):
        out[i] = a[i] * b[i] * amount[i] + offset[i]


MODULE = ModuleSpec(
    id="product",
    name="Product",
    stage="motion",
    sentence="Multiplies two movements: one sets how far the other goes.",
    kernel=kernel,
    inputs=(
        Input("a", "Movement a", "control", "One factor."),
        Input("b", "Movement b", "control", "The other factor."),
    ),
    params=(
        Param("amount", "Amount", "ratio", -2, 2, 1, "Amount; negative inverts.", amount=0.5),
        Param("offset", "Offset", "none", -2, 2, 0, "Added to the product.", amount=0.3),
    ),
    outputs=(Output("out", "Product", "control"),),
    face="amount",
    passes="a",
    words=("multiply", "times", "vca", "scale", "ring", "depth"),
    sources=("product (definition)",),
)  # fmt: skip
