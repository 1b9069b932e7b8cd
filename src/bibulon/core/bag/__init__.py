"""The bag: what the film must climb, its pleats and tape, what is cut and laid out, and how it is drawn down."""
