"""The shop's log: all jobs, and series of parts."""
