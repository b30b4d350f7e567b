"""How long tests wait for what should come at once: longer than a busy computer takes. Only failures take so long."""

SOON_S = 60.0
