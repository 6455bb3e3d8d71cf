"""GS1 element strings on labels: checked by biip, check digits by python-stdnum."""

from dataclasses import dataclass

import biip
from biip.gs1_messages import GS1Message
from stdnum import ean
from stdnum.exceptions import ValidationError


@dataclass(frozen=True, slots=True)
class Scanned:
    """What an element string says."""

    gtin: str
    lot: str = ""
    serial: str = ""


def is_gtin(text: str) -> bool:
    """Tell whether a text is a Global Trade Item Number with the right check digit."""
    try:
        ean.validate(text)
    except ValidationError:
        return False
    return True


def why_no_gtin(text: str) -> str:
    """Return what is wrong with a number that is no GTIN."""
    if not text.isascii() or not text.isdigit() or len(text) not in (8, 12, 13, 14):
        return "it has 8, 12, 13 or 14 digits"
    return f"the last digit would be {ean.calc_check_digit(text[:-1])}"


def element_string(gtin: str, *, lot: str = "", serial: str = "") -> str:
    """Return the element string of a lot or serial as people read it; "" where it does not fit one.

    Application identifiers 01 (GTIN), 10 (batch or lot) and 21 (serial): GS1 General
    Specifications, section 3. Lots and serials have at most 20 characters of set 82.
    """
    parts = [f"(01){gtin.zfill(14)}"]
    parts += [f"(10){lot}"] if lot else []
    parts += [f"(21){serial}"] if serial else []
    said = "".join(parts)
    read = scanned(said)
    if read is None or (read.lot, read.serial) != (lot, serial):
        return ""
    return said


def as_encoded(said: str) -> str:
    """Return an element string as a code holds it, without brackets."""
    return said.replace("(", "").replace(")", "")


def scanned(text: str) -> Scanned | None:
    """Return what an element string says, with brackets or as a scanner types it; None if it is none."""
    message = _message(text)
    if message is None:
        return None
    said = {e.ai.ai: e.value for e in message.element_strings}
    if "01" not in said:
        return None
    return Scanned(said["01"], said.get("10", ""), said.get("21", ""))


def _message(text: str) -> GS1Message | None:
    if not text.startswith("("):
        return biip.parse(text).gs1_message
    try:
        return GS1Message.parse_hri(text)
    except biip.ParseError:
        return None
