"""What settings are worth: incidents, and scores against them."""
