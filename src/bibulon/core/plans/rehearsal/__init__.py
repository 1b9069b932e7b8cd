"""A shop to practise in: hidden faults, the true physics under them, crews that act, and what is told afterwards."""
