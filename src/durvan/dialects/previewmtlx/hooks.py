"""MaterialX's words in files, as every pack of its surfaces has them."""

from durvan.dialects.shared.materialx.words import (
    after_writing,
    before_reading,
    fold,
    folds,
    in_file_units,
    kind_of,
    typed,
)

__all__ = ["after_writing", "before_reading", "fold", "folds", "in_file_units", "kind_of", "typed"]
