"""Marks on the bag make a forecast honest: an ensemble before the shot, conditioned on what was seen."""
