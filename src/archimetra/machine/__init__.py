"""The machine: the line protocol, streaming with its buffer counted, and a stand-in that behaves as a machine does."""
