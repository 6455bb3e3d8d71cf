"""What UBL 2.1 (OASIS) calls things: namespaces, units, the currency."""

ROOT = "urn:oasis:names:specification:ubl:schema:xsd:"
CAC, CBC = f"{ROOT}CommonAggregateComponents-2", f"{ROOT}CommonBasicComponents-2"
#: of all money here
CURRENCY = "EUR"
#: UN/ECE Recommendation 20, common codes (from memory); a unit of an item's own is ZZ, mutually defined
UNIT_CODES = {"pcs": "C62", "kg": "KGM", "g": "GRM", "t": "TNE", "lb": "LBR", "m": "MTR", "cm": "CMT", "mm": "MMT", "m²": "MTK", "m³": "MTQ", "L": "LTR", "mL": "MLT"}  # fmt: skip
