"""Ways of looking at two pictures: what is measured at each pixel, and how it is shown."""
