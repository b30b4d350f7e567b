"""Giving addresses to units that ask for one by BOOTP or DHCP: only to those that are meant, and seen by a person."""
