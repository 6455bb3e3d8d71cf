"""The plant's arrays against the exact explosion and against networkx."""

from decimal import Decimal
from itertools import pairwise

import networkx as nx
import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.structure.explode import CycleFound, total_requirements
from poietic_core.structure.plant import Plant

Lines = list[tuple[int, int, int]]
drawn = st.integers(2, 12).flatmap(
    lambda n: st.tuples(
        st.just(n),
        st.lists(st.tuples(st.integers(0, n - 1), st.integers(0, n - 1), st.integers(1, 8)), max_size=40),
        st.lists(st.integers(0, 9), min_size=n, max_size=n),
    )
)  # fmt: skip


def plant_of(size: int, lines: Lines) -> Plant:
    """Return a plant of lines (parent, child, eighths)."""
    parents, children, eighths = (
        np.array([line[k] for line in lines], dtype=np.int32) for k in range(3)
    )
    return Plant(parents, children, eighths / 8, size)


class Arrays(SimpleTestCase):
    """Quantities are eighths, so that floats are exact and must be equal."""

    @given(drawn)
    def test_explosion_equals_the_exact_one(self, case: tuple[int, Lines, list[int]]) -> None:
        size, lines, demand = case
        lines = [(a, b, q) for a, b, q in lines if a < b]
        graph: dict[str, dict[str, Decimal]] = {str(i): {} for i in range(size)}
        for a, b, q in lines:
            graph[str(a)][str(b)] = graph[str(a)].get(str(b), Decimal(0)) + Decimal(q) / 8

        plant = plant_of(size, lines)
        totals = plant.explode(np.array(demand, dtype=float))

        exact = total_requirements(graph, {str(i): Decimal(d) for i, d in enumerate(demand)})
        self.assertEqual(totals.tolist(), [float(exact[str(i)]) for i in range(size)])
        library = nx.DiGraph([(a, b) for a, b, _ in lines])
        library.add_nodes_from(range(size))
        for item, code in enumerate(plant.codes.tolist()):
            above = [plant.codes[a] for a in library.predecessors(item)]
            self.assertEqual(code, max(above, default=-1) + 1)
        self.assertEqual(nx.dag_longest_path_length(library), plant.codes.max())

    @given(drawn)
    def test_rolled_costs_equal_the_inverse_matrix_applied_to_direct_costs(
        self, case: tuple[int, Lines, list[int]]
    ) -> None:
        size, lines, direct = case
        lines = [(a, b, q) for a, b, q in lines if a < b]
        needs = np.zeros((size, size))
        for a, b, q in lines:
            needs[a, b] += q / 8
        costs = np.column_stack([direct, np.arange(size)]).astype(float)

        rolled = plant_of(size, lines).roll(costs)

        np.testing.assert_allclose(rolled, np.linalg.solve(np.eye(size) - needs, costs), rtol=1e-9)

    @given(drawn)
    def test_a_cycle_is_found_where_networkx_finds_one(
        self, case: tuple[int, Lines, list[int]]
    ) -> None:
        size, lines, _ = case
        graph = nx.DiGraph([(a, b) for a, b, _ in lines])

        if nx.is_directed_acyclic_graph(graph):
            plant_of(size, lines)
            return
        with self.assertRaises(CycleFound) as refused:
            plant_of(size, lines)
        loop = [int(i) for i in refused.exception.loop]
        self.assertEqual(loop[0], loop[-1])
        self.assertTrue(all(graph.has_edge(a, b) for a, b in pairwise(loop)))
