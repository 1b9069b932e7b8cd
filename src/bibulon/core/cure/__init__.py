"""How a part warms itself and hardens, through its thickness, from where and when its resin arrived."""
