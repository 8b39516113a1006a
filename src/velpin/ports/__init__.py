"""What a kind of host must be able to say, one port a module.

A port is a Protocol that each kind implements in the module that has the rule. Members with a body
here are what holds where a kind says nothing else. docs/adding-a-kind.md begins with the least.
"""
