"""The plan, the cut, and the acts of the hand on them."""
