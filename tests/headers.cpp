// Nothing: its target keeps the headers for the others.
