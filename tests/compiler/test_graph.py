"""Order of execution."""

from __future__ import annotations

import doctest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from dunefall.compiler import graph
from dunefall.compiler.graph import execution_order

EDGES = st.integers(1, 30).flatmap(
    lambda n: st.tuples(st.just(n), st.lists(st.tuples(st.integers(0, n - 1), st.integers(0, n - 1)), max_size=60))
)


@given(EDGES)
def test_loops_are_those_that_scipy_finds(case: tuple[int, list[tuple[int, int]]]) -> None:
    count, edges = case
    groups = execution_order(count, edges)
    assert sorted(node for group in groups for node in group) == list(range(count))
    sources, targets = (np.array([edge[k] for edge in edges], int) for k in (0, 1))
    matrix = coo_array((np.ones(len(edges)), (sources, targets)), shape=(count, count))
    number, labels = connected_components(matrix, directed=True, connection="strong")
    assert len(groups) == number
    assert all(len({labels[node] for node in group}) == 1 for group in groups)


@given(EDGES)
def test_everything_outside_of_loops_runs_after_what_it_needs(case: tuple[int, list[tuple[int, int]]]) -> None:
    count, edges = case
    groups = execution_order(count, edges)
    place = {node: k for k, group in enumerate(groups) for node in group}
    assert all(place[source] <= place[target] for source, target in edges)


@given(EDGES, st.randoms(use_true_random=False))
def test_the_order_of_the_links_does_not_matter(case: tuple[int, list[tuple[int, int]]], shuffler: object) -> None:
    count, edges = case
    mixed = list(edges)
    shuffler.shuffle(mixed)  # type: ignore[attr-defined]
    assert execution_order(count, mixed) == execution_order(count, edges)


def test_deep_chains_need_no_recursion() -> None:
    count = 20_000
    assert len(execution_order(count, [(k, k + 1) for k in range(count - 1)])) == count


def test_examples_in_docstrings() -> None:
    assert doctest.testmod(graph).failed == 0
