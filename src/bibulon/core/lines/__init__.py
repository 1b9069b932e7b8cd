"""Plans of lines: kinds, starters, search, what-if, how sure, calls."""
