"""How well work centers do, by the published standard's own terms."""
