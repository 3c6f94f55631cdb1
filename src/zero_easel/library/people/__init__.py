"""Who may do what: accounts and their passwords (accounts.py), devices on which people are signed in (sign_ins.py), the
second factor (second_factor.py), passkeys (passkeys.py), and the journal of what was done (journal.py)."""
