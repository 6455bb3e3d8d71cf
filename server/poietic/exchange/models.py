"""Files that people brought, kept until they are imported."""

from django.conf import settings
from django.db import models


class Upload(models.Model):
    """A file as it came; what it says is read anew whenever it is asked for."""

    name = models.CharField(max_length=200)
    content = models.BinaryField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    uploaded_at = models.DateTimeField()

    def __str__(self) -> str:
        return self.name
