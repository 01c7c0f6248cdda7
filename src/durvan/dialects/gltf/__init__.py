"""glTF 2.0 as files hold it: one material with textures, lights that are points, spots and suns, cameras by their field of view."""
