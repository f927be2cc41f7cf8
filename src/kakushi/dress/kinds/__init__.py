"""One module per kind of part; `kakushi.dress.table` lists them."""
