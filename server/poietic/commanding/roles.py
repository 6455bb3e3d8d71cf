"""The roles that a person may hold."""

from enum import StrEnum


class Role(StrEnum):
    """What a person may do; one person may hold several."""

    ADMINISTRATOR = "administrator"
    CONTROLLER = "controller"
    ENGINEER = "engineer"
    STOREKEEPER = "storekeeper"
    OPERATOR = "operator"
    COST_ACCOUNTANT = "cost accountant"
    VIEWER = "viewer"
