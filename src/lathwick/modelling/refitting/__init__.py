"""What blends, drafts and shells share: faces made anew are fitted to their neighbours, and looked at."""
