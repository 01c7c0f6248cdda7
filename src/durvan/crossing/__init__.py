"""One job: plan what becomes of a scene in another dialect, carry it, and account for every value."""
