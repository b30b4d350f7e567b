"""What a unit on a network can answer: one file for each protocol, mixed in the site's data."""
