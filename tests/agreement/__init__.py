"""Small hosts, and what a real host's installer did on each: does Velpin say the same?"""
