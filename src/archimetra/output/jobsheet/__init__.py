"""The sheet of paper that goes to the machine: what it says (``content``), as text and as PDF."""
