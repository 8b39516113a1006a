"""The public `Host`, grouped by what is asked of it; the one place that puts a host together."""
