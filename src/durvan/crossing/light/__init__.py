"""The light of a crossing: what each light gives on both sides, trims that balance them, the steps from light to picture."""
