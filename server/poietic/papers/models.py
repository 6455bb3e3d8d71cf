"""What the label printer was sent."""

from django.conf import settings
from django.db import models


class Printed(models.Model):
    """A label or a paper as it went to the printer."""

    kind = models.CharField(max_length=20)
    title = models.CharField(max_length=120)
    #: what its code says; "" where it has none
    content = models.CharField(max_length=200, blank=True)
    svg = models.TextField()
    copies = models.IntegerField(default=1)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    printed_at = models.DateTimeField()

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"{self.kind} {self.title}"
