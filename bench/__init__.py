"""Speed against peers: its lines, its page, its peers. Development only; nothing of the product imports it."""
