"""What packs that share MaterialX's words need code for: its words in files."""

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
