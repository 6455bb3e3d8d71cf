"""What a plan loads work centers with: a profile by hand, and random plans lot by lot."""

from math import ceil

import numpy as np
from django.test import SimpleTestCase
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from poietic_core.capacity.rough import Labours, Lots, rough_load

DAYS, CENTERS = 12, 3
LotRow = tuple[int, float, int, int]
OperationRow = tuple[int, int, float, float, float, float, bool]


def lots_of(rows: list[LotRow]) -> Lots:
    item, quantity, begins, due = zip(*rows, strict=True) if rows else ((), (), (), ())
    return Lots(
        item=np.array(item, dtype=np.int64),
        quantity=np.array(quantity, dtype=np.float64),
        begins=np.array(begins, dtype=np.int64),
        due=np.array(due, dtype=np.int64),
    )


def labours_of(rows: list[OperationRow]) -> Labours:
    listed = sorted(rows, key=lambda r: r[0])
    columns = list(zip(*listed, strict=True)) if listed else [()] * 7
    floats = [np.array(c, dtype=np.float64) for c in columns[2:6]]
    return Labours(
        item=np.array(columns[0], dtype=np.int64),
        center=np.array(columns[1], dtype=np.int64),
        setup=floats[0],
        run=floats[1],
        enter=floats[2],
        per=floats[3],
        is_whole=np.array(columns[6], dtype=bool),
    )


class ByHand(SimpleTestCase):
    """20 cells of 0.5 h and 1 h of setup, of which 1.25 enter for a good one, over four days."""

    def test_a_lot_is_spread_evenly_over_its_lead_time(self) -> None:
        cells = labours_of([(7, 1, 1.0, 0.5, 1.25, 1.0, False)])

        load = rough_load(lots_of([(7, 20.0, 2, 6)]), cells, CENTERS, DAYS)

        # 1 + 20 × 1.25 × 0.5 = 13.5 h in four days
        self.assertEqual(load.hours[1].tolist(), [0, 0, 3.375, 3.375, 3.375, 3.375, *[0] * 6])
        self.assertEqual((load.hours[0].sum(), load.hours[2].sum()), (0, 0))
        self.assertEqual((load.lot.tolist(), load.each.tolist()), ([0], [13.5]))

    def test_a_furnace_runs_whole_and_what_is_due_at_once_loads_its_day(self) -> None:
        furnace = labours_of([(7, 0, 0.0, 3.0, 1.0, 8.0, True)])

        load = rough_load(lots_of([(7, 17.0, 5, 5), (9, 4.0, 0, 3)]), furnace, CENTERS, DAYS)

        self.assertEqual(load.hours[0, 5], 9.0)  # three runs of 8
        self.assertEqual(load.hours.sum(), 9.0)  # nobody knows how the other is made


hours = st.floats(0, 10)
operations = st.tuples(
    *(st.integers(0, 4), st.integers(0, CENTERS - 1), hours, hours),
    *(st.floats(1, 2), st.integers(1, 9).map(float), st.booleans()),
)
lots = st.tuples(
    st.integers(0, 5), st.integers(1, 99).map(float), st.integers(0, DAYS - 1), st.integers(0, DAYS - 1)
)  # fmt: skip


class Anything(SimpleTestCase):
    """Over random plans."""

    @settings(phases=[Phase.explicit, Phase.generate])
    @given(st.lists(lots, max_size=8), st.lists(operations, max_size=8))
    def test_it_is_what_each_lot_takes_day_by_day(
        self, planned: list[LotRow], made_by: list[OperationRow]
    ) -> None:
        load = rough_load(lots_of(planned), labours_of(made_by), CENTERS, DAYS)

        plain = np.zeros((CENTERS, DAYS))
        for item, quantity, begins, due in planned:
            days = list(range(begins, due)) or [begins]
            for of, center, setup, run, enter, per, is_whole in made_by:
                if of == item:
                    runs = quantity * enter / per
                    taken = setup + (ceil(runs - 1e-9) if is_whole else runs) * run
                    for day in days:
                        plain[center, day] += taken / len(days)
        np.testing.assert_allclose(load.hours, plain, atol=1e-6)
        self.assertAlmostEqual(load.each.sum(), load.hours.sum(), places=5)
