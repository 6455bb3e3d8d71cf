"""Commands of the engineer: structures and their revisions, work centers, calendars."""

from . import calendars, revisions, structures, work_centers

__all__ = ["calendars", "revisions", "structures", "work_centers"]
