"""The demo's product family: what it costs and takes by hand, and the ledger behind it."""

from decimal import Decimal

from django.test import TestCase
from django.utils import timezone
from poietic.costing.queries import standards_in_force
from poietic.demo import tarn_hollow
from poietic.ledger.verify import differences
from poietic.people.models import Person

from .client import Caller


class Family(TestCase):
    """Loaded once; each test looks at one part of it."""

    @classmethod
    def setUpTestData(cls) -> None:
        tarn_hollow.load(timezone.localdate())

    def test_the_ledger_agrees(self) -> None:
        self.assertEqual(differences(), [])
        for code, s in sorted(standards_in_force().items()): print(code, s.total)
