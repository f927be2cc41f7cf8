"""Forms bound to model values: one field class per kind of input, and one form that binds them."""
