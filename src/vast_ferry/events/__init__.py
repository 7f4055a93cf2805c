"""Native events and CloudEvents on file: read into the hub, written from it, converted, one or a file of them."""
