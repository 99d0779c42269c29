"""Which orders count, and which customers are looked at: the rule, its conditions, the fields they name."""
