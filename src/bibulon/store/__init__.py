"""Job files, journals, import and export of open formats."""
