"""What is delivered to a folder: written beside, checked, and put in place at once; what of the folder is ours is written down."""

from durvan.delivery.beside import Beside
from durvan.delivery.manifest import Manifest, manifest_of
from durvan.delivery.staged import Staged, settle

__all__ = ["Beside", "Manifest", "Staged", "manifest_of", "settle"]
