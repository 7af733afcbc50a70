"""What several kinds of cut plan with: contours, tracks, passes, entries, links, order."""
