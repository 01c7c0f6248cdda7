"""Scattering lobes as compiled scalar functions: evaluate, sample, probability; and stacks of them.

Directions are unit vectors in the tangent frame (z is the normal), as three numbers; `o` points to the eye and `i`
to the light. Values are per steradian, without the cosine. Everything here works on plain numbers and flat arrays, so
that the renderer, the fit and the tests run the very same code.
"""
