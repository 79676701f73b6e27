"""Two builds side by side: what got easier or harder, what moved as a whole, and how many players would tell."""
