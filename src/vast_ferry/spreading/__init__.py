"""Work that goes to other machines."""
