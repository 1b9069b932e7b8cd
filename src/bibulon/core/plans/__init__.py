"""Questions over many forecasts."""
