"""What the program keeps: jobs, records, recovery copies, the studio, preferences, and how it writes them."""
