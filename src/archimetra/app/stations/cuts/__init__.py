"""The parts of the Cuts page: cuts, bits, recipes, test piece; and one editor for each kind of cut."""
