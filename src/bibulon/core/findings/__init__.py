"""Judgements on plan, test and run: one small rule a function, gathered in a registry."""
