"""Every module that registers commands."""

from ..catalog import commands as catalog  # noqa: F401
from ..costing import commands as costing  # noqa: F401
from ..engineering import commands as engineering  # noqa: F401
from ..orders.commands import completion, life, material, reporting, taking_back  # noqa: F401
from ..people import commands as people  # noqa: F401
from ..stores import commands as stores  # noqa: F401
