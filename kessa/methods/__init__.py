"""Methods a team may use: the house's, and its own."""
