"""Why an order costs what it does: the variances against its frozen standard, cause by cause."""
