"""One module per kind of colour layer; `kakushi.colour.layer_table` lists them."""
