"""A part as its data sheet describes it: facts that are still being put together, what they
suffice for, and which registers hold them."""
