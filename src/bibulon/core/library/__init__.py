"""Materials and shop-rule sets: models, and shipped data files."""
