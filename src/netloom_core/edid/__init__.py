"""EDID: what a display says of itself, by VESA E-EDID Release A 2 (EDID 1.4), CTA-861-H and DisplayID 1.3 and 2.0."""
