"""The Light station: the budget as opposed bars, the plan from above, both exposure ladders, trims with a live picture."""
