"""Functions of Tern's own formulas."""


def percent(share: float) -> float:
    """A share of 1 in percent."""
    return 100.0 * share


def vividness(colour: tuple[float, float, float]) -> float:
    """How far a colour is from grey, 0 to 1."""
    return max(colour) - min(colour)


FUNCTIONS = {"percent": percent, "vividness": vividness}
