"""The works itself: where its day begins, and whether it is a demo."""

from django.db import models

from ..statements.prepared import Prepared


class Works(models.Model):
    """The one row of the works."""

    #: the time zone that its days are counted in
    zone = models.CharField(max_length=60, default="UTC")
    #: made as a demo: its persons have open doors, on loopback only
    is_demo = models.BooleanField(default=False)
    #: the command that changed it last
    change = models.BigIntegerField()

    class Meta:
        constraints = [models.CheckConstraint(condition=models.Q(id=1), name="there_is_one_works")]

    def __str__(self) -> str:
        return "works"


THE_WORKS = Prepared(lambda key: Works.objects.filter(pk=key))


def the_works() -> Works:
    """Return the works; one that nobody has set up yet counts its days in UTC."""
    found = THE_WORKS.of(1)
    return found[0] if found else Works(pk=1, change=0)
