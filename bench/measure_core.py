"""Explosion and roll-up of a generated plant, against networkx."""

import random
from decimal import Decimal
from time import perf_counter

import networkx as nx
from django.test import SimpleTestCase
from poietic_core.structure.explode import total_requirements

LEVELS, WIDTH, LINES = 10, 1_000, 10


def plant(seed: int = 1) -> dict[str, dict[str, Decimal]]:
    """Return 10,000 items on 10 levels with 10 dyadic lines each, so that all methods agree."""
    draw = random.Random(seed)
    graph: dict[str, dict[str, Decimal]] = {}
    for level in range(LEVELS):
        for n in range(WIDTH):
            below = {
                f"{level + 1}-{draw.randrange(WIDTH)}": Decimal(draw.choice([1, 2, 4])) / 4
                for _ in range(LINES)
            }
            graph[f"{level}-{n}"] = below if level < LEVELS - 1 else {}
    return graph


class Explosion(SimpleTestCase):
    """Total requirements in Decimal."""

    def test_explosion(self) -> None:
        graph = plant()
        demand = {f"0-{n}": Decimal(1) for n in range(WIDTH)}
        library = nx.DiGraph()
        for parent, children in graph.items():
            library.add_node(parent)
            library.add_weighted_edges_from((parent, c, float(q)) for c, q in children.items())

        begin = perf_counter()
        ours = total_requirements(graph, demand)
        own = perf_counter() - begin
        begin = perf_counter()
        theirs = {item: float(demand.get(item, 0)) for item in library}
        for parent in nx.topological_sort(library):
            for child, edge in library[parent].items():
                theirs[child] += theirs[parent] * edge["weight"]
        baseline = perf_counter() - begin

        self.assertEqual({i: float(q) for i, q in ours.items()}, theirs)
        print(
            f"\nexplosion of 10,000 items, 90,000 lines, exact decimals: {own * 1000:.0f} ms, "
            f"{baseline / own:.2f} × networkx topological sort + dict of floats ({baseline * 1000:.0f} ms); equal"
        )
