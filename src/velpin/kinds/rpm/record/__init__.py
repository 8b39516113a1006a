"""The host's own record of installed packages, in the three forms that hosts have."""
