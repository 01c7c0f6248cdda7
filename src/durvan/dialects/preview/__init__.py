"""USD Preview Surface with UsdUVTexture, UsdTransform2d and primvar readers, and USD's own lights and cameras."""
