"""Order counts, gaps between orders, time to the next order, who is due."""
