"""Django's SQLite, with a memory of whether anything of a request is on record already."""
