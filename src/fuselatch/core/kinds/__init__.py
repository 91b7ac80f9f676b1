"""The kinds of controls: each module has all that is known of one kind, or of a few alike.

A kind is a declaration, its live control, and what the declaration says of them: which keys it takes, what settles, what is
shown. The engine knows a kind only by the methods of `Declaration`.
"""
