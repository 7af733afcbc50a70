"""The plain tone of a material, for places where its grain is not drawn."""

from __future__ import annotations

from PySide6.QtGui import QColor

from archimetra.job.sheet import Material, Sheet

TONES = {
    Material.ASH: "#E4D1AB",
    Material.OAK: "#CBA873",
    Material.WALNUT: "#7F5739",
    Material.PINE: "#E6C892",
    Material.BIRCH_PLY: "#EADAB8",
    Material.MDF: "#C2A37D",
    Material.ACRYLIC: "#CCDDE1",
    Material.ALUMINIUM: "#C6CACC",
}


def tone_of(sheet: Sheet) -> QColor:
    """The sheet's own tint, or its material's tone."""
    return QColor(sheet.tint) if sheet.tint else tone(sheet.material)


def tone(material: Material) -> QColor:
    return QColor(TONES[material])
