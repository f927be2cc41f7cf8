"""One module per kind of group; `kakushi.packing.groups.table` lists them."""
