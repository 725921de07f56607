"""Made-up water to practise on: what it would show a careful eye, and how well it was tested."""
