"""V-carving: areas, depths, routes along the axis, floors."""
