"""What reaches which display over several devices, and where it stops; presets held against what is. Pure."""
