"""What stands between a request and its screen: who asks (who.py), what that role may do (rights.py), letting people in
(entering.py), and how much and how often they may ask (amounts.py, turns.py, security.py). Begin with who.py."""
