"""What a password must be (ASVS 5.0, 6.2), and setting one."""

from django.contrib.auth.hashers import check_password
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from ..web_api.errors import InvalidInput
from .models import PastPassword, Person

#: passwords before the present one that are not taken again
REMEMBERED = 5
DIFFERENT_LEAST = 4


class VariedValidator:
    """Refuses passwords of few different characters."""

    def validate(self, password: str, user: Person | None = None) -> None:
        """Raise ValidationError where there are too few."""
        if len(set(password)) < DIFFERENT_LEAST:
            raise ValidationError(f"It has fewer than {DIFFERENT_LEAST} different characters.")

    def get_help_text(self) -> str:
        """Say what is asked."""
        return f"At least {DIFFERENT_LEAST} different characters."


def set_password(person: Person, password: str) -> None:
    """Set a person's password, or refuse it by name: InvalidInput."""
    try:
        validate_password(password, person)
    except ValidationError as err:
        raise InvalidInput([f"password: {m}" for m in err.messages]) from err
    if person.pk:
        past = list(person.past_passwords.order_by("-pk").values_list("hash", flat=True))
        if any(check_password(password, h) for h in (person.password, *past[:REMEMBERED])):
            raise InvalidInput(["password: It was used before. Choose one that was not."])
        if person.has_usable_password():
            PastPassword.objects.create(person=person, hash=person.password)
    person.set_password(password)
    person.code_hash, person.code_until = "", None
