"""Standard cost, the split of WIP by operation and element, and the variances of an order."""
