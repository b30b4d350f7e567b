"""Models that chance made up, their profiles and their stand-ins; and the whole round on them."""
