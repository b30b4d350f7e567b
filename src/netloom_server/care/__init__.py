"""Care of a data folder, with and without a running server: rights, safe copies, looking at all of it."""
