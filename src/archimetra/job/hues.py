"""The hues of bits by their place in the rack: colour-blind safe, in an order that keeps neighbours apart."""

BIT_HUES = ("#3D5A98", "#B8801F", "#8A3F73", "#24808A", "#A94A35", "#5F7D2B", "#5B6670", "#C06A86")


def bit_colour(place: int) -> str:
    """That of a rack place, as #RRGGBB; it comes back after eight, and the letter tells them apart."""
    return BIT_HUES[place % len(BIT_HUES)]
