"""Tests against independent servers from Debian's packages, each started here on its own loopback address."""
