"""Why a command is refused before its own rules speak."""

from dataclasses import dataclass
from typing import ClassVar

from poietic_core.errors import DomainError


@dataclass(eq=False)
class RoleNeeded(DomainError):
    """The person does not hold a role that may do this."""

    person: str
    act: str
    roles: list[str]
    code: ClassVar[str] = "people.role_needed"
    what: ClassVar[str] = "{person} may not do this: {act}."
    why: ClassVar[str] = "It takes one of these roles: {roles}."
    fix: ClassVar[str] = "Ask somebody who holds one, or an administrator for the role."


@dataclass(eq=False)
class KeyUsed(DomainError):
    """The idempotency key belongs to another input."""

    key: str
    code: ClassVar[str] = "command.key_used"
    what: ClassVar[str] = "The key {key} was used for another input."
    why: ClassVar[str] = "A key stands for one act; the same key with other inputs is refused."
    fix: ClassVar[str] = "Send the changed input with a new key."


@dataclass(eq=False)
class Busy(DomainError):
    """Somebody else holds what a command needs, for longer than it waits."""

    what_is_held: str
    holder: str
    code: ClassVar[str] = "command.busy"
    what: ClassVar[str] = "Others are at work on {what_is_held}; nothing of this was posted."
    why: ClassVar[str] = "{holder}."
    fix: ClassVar[str] = "Try again when that is done; what was entered is kept."


@dataclass(eq=False)
class AgainstRule(DomainError):
    """The database stopped what none of the command's own rules did."""

    rule: str
    detail: str
    code: ClassVar[str] = "command.against_rule"
    what: ClassVar[str] = "Nothing was changed: the database refused it."
    why: ClassVar[str] = "Its rule {rule} stands against it. {detail}"
    fix: ClassVar[str] = (
        "Look at what is there now and enter it anew; if it is refused again, tell whoever looks "
        "after the application this rule."
    )


@dataclass(eq=False)
class ChangedSince(DomainError):
    """What a person saw is no longer so, and the act would do something else."""

    changes: list[str]
    consequences: object
    code: ClassVar[str] = "command.changed_since"
    what: ClassVar[str] = "Something changed since you looked, and nothing was posted."
    why: ClassVar[str] = "{changes}."
    fix: ClassVar[str] = "Look at the new consequences and post again if they are right."
