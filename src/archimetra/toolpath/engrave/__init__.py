"""Line engraving."""
