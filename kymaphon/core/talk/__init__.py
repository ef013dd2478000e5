"""Talkback: who can say something to whom beside the programme, by which key, how loud it comes, and where else it gets."""
