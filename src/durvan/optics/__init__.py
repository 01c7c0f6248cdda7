"""Pure functions of light: colour, photometry, Fresnel, microfacets. Units stand in each docstring."""
