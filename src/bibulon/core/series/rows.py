"""Under which run the rows of a record stand that are made after the part left its mould."""

__all__ = ["AFTER"]

AFTER = "record"
