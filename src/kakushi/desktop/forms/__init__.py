"""Forms bound to values of the model: one class of field for each way of giving a value, one form that binds them."""
