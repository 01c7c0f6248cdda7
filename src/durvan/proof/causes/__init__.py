"""What of a difference is whose: exposure, white balance, response, each light, each material, the camera, noise; and what is nobody's."""
