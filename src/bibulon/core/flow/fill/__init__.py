"""From a network to the history of its filling."""
