"""Papers as UBL 2.1 (OASIS): written, read, and matched with what was ordered."""
