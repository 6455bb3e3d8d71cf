"""A generated plant: items on levels, dyadic quantities so that every method must agree exactly."""

import io
from concurrent.futures import ProcessPoolExecutor
from datetime import UTC, date, datetime
from multiprocessing import get_context
from time import perf_counter

import networkx as nx
import numpy as np
from django.db import connection
from numpy.typing import NDArray

NULL = "\\N"


class Lines:
    """Component lines by position: `width` items on each of `levels`, `each` lines per parent."""

    def __init__(self, *, levels: int, width: int, each: int, seed: int = 1) -> None:
        draw = np.random.default_rng(seed)
        self.size = levels * width
        self.parents = np.repeat(np.arange(self.size - width, dtype=np.int32), each)
        level = self.parents // width
        self.children = ((level + 1) * width + draw.integers(0, width, self.parents.size)).astype(
            np.int32
        )
        self.quantities = draw.choice([0.25, 0.5, 1.0, 2.0], self.parents.size)
        self.demand = np.zeros(self.size)
        self.demand[:width] = 1.0


def with_networkx(lines: Lines, direct: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
    """Return how long networkx with lists takes for a roll-up in memory [s], and the costs."""
    graph = nx.MultiDiGraph()
    graph.add_nodes_from(range(lines.size))
    graph.add_weighted_edges_from(
        zip(
            lines.parents.tolist(),
            lines.children.tolist(),
            lines.quantities.tolist(),
            strict=True,
        )
    )
    begin = perf_counter()
    costs = {n: list(row) for n, row in enumerate(direct.tolist())}
    for parent in reversed(list(nx.topological_sort(graph))):
        own = costs[parent]
        for _, child, quantity in graph.out_edges(parent, data="weight"):
            for k, cost in enumerate(costs[child]):
                own[k] += quantity * cost
    return perf_counter() - begin, np.array([costs[n] for n in range(lines.size)])


def baseline(lines: Lines, elements: int) -> float:
    """Return how long networkx with lists takes for a roll-up, in a process of its own [s]."""
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as other:
        return other.submit(with_networkx, lines, np.ones((lines.size, elements))).result()[0]


def store(lines: Lines, day: date, price: str = "\\N", *, is_full: bool = False) -> None:
    """Write a plant past the commands, as a measurement may: items, revisions, operations, lines.

    A full one has lots and setups, a yield on every third item, an allowance on every fourth line.
    """
    lot, setup = ("40", "0.5") if is_full else ("1", "0")
    now = datetime.now(UTC).isoformat()  # what was approved is read once, and told by when it was
    with connection.cursor() as cursor:
        cursor.execute("INSERT INTO engineering_workcenter (code, name, machines, efficiency, change) VALUES ('W', 'W', 1, 1, 1) RETURNING id")  # fmt: skip
        center = cursor.fetchone()[0]
        cursor.execute("INSERT INTO engineering_workcenterrate (work_center_id, labour_rate, layers) VALUES (%s, 20, '[{\"name\": \"machine\", \"element\": \"machine\", \"amount\": \"10\"}]')", [center])  # fmt: skip
        _copy(cursor, "catalog_item (id, code, name, unit, step, source, valuation, standard_lot, price, is_active, inactive_reason, change, is_phantom, price_per, form, tracking, number_rule, lot_rule)",
              (f"{n}\tI{n}\tItem {n}\tpcs\t1\t{'make' if n < lines.size - lines.demand.sum() else 'buy'}\tstandard\t{lot}\t{price if n >= lines.size - lines.demand.sum() else NULL}\tt\t\t1\tf\t\t\tnone\t\tlot for lot" for n in range(lines.size)))  # fmt: skip
        _copy(cursor, "ledger_holding (item_id, quantity, value, standard, change)", (f"{n}\t0\t0\t\\N\t1" for n in range(lines.size)))  # fmt: skip
        made = np.unique(lines.parents)
        _copy(cursor, "engineering_revision (id, item_id, letter, state, batch_quantity, effective_from, approved_at, note, change, share_rule, main_weight, grades)",
              (f"{n}\t{n}\tA\tapproved\t1\t{day}\t{now}\t\t1\trelative sales value\t0\t[]" for n in made))  # fmt: skip
        _copy(cursor, "engineering_operationrow (revision_id, number, name, work_center_id, setup_labour_hours, setup_machine_hours, run_labour_hours, run_machine_hours, run_quantity, runs_whole_batches, machines, queue_hours, wait_hours, move_hours, yield_share, is_report_point, alternate_centers, subcontract_price, payment_basis, days_out, steps)",
              (f"{n}\t10\tMake\t{center}\t{setup}\t{setup}\t0.1\t0.1\t1\tf\t1\t0\t0\t0\t{0.96 if is_full and n % 3 == 0 else 1}\tt\t{{}}\t0\t\t0\t[]" for n in made))  # fmt: skip
        _copy(cursor, "engineering_componentrow (revision_id, position, item_id, operation, quantity, per, allowance, issue_rule, unit, measured_by, reference, alternates)",
              (f"{p}\t{k}\t{c}\t10\t{q}\tunit\t{0.02 if is_full and k % 4 == 0 else 0}\tby hand\t\t\t\t[]" for k, (p, c, q) in enumerate(zip(lines.parents, lines.children, lines.quantities, strict=True))))  # fmt: skip
        for table in ("catalog_item", "engineering_revision"):
            cursor.execute(
                f"SELECT setval(pg_get_serial_sequence('{table}', 'id'), %s)", [lines.size]
            )
        cursor.execute("ANALYZE")


def _copy(cursor: object, target: str, rows: object) -> None:
    text = io.StringIO()
    with cursor.copy(f"COPY {target} FROM STDIN") as copy:  # type: ignore[attr-defined]
        for n, row in enumerate(rows):  # type: ignore[arg-type, var-annotated]
            text.write(row + "\n")
            if n % 20_000 == 19_999:
                copy.write(text.getvalue())
                text = io.StringIO()
        copy.write(text.getvalue())


def equal(one: NDArray[np.float64], other: NDArray[np.float64]) -> bool:
    """Tell whether two results are equal to the last bit."""
    return bool(np.array_equal(one, other))
