"""Where customers stand: who is active, lapsed or never ordered, since when, at which limit, and whom to follow up."""
