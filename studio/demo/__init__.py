"""Fernwick Kite Week: the demo scenes and the phrases that new scenes start from."""
