"""A part's data sheet as it is filled in: sentences, what they mean, registers."""
