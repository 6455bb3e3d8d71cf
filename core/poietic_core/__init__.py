"""The rules of the job as pure functions on plain data: no Django, clock, files or randomness."""
