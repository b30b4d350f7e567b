"""What goes over a line, in virtual time and without a port."""
