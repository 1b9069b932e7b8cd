"""Networks of nodes and links, and how they fill."""
