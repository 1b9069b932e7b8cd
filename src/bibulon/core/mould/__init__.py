"""The physics of closed moulds: what holds them shut, what opens them, how they bow, and how they are filled."""
