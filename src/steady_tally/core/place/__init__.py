"""Where does each event fall? Zone sets, projection, areas on the ellipsoid, and locating points."""
