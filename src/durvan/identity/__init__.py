"""What things are called and how they are told apart. `Namer` is the only maker of names of what is made."""

from durvan.identity.namer import Namer, clean, leaf

__all__ = ["Namer", "clean", "leaf"]
