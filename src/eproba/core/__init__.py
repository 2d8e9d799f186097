"""The rules of the job: pure functions on frozen dataclasses; no Flask, SQL, clock or global random."""
