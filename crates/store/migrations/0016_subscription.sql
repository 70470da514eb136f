-- Hubs that are to call when a feed publishes (WebSub).
CREATE TABLE subscription (
    system TEXT NOT NULL,
    feed TEXT NOT NULL,
    hub TEXT, -- none where the feed names none
    topic TEXT NOT NULL,
    token TEXT NOT NULL UNIQUE, -- what the address is known by that the hub calls
    secret TEXT NOT NULL, -- what it signs with
    ends INTEGER, -- till when it calls, once it has asked back
    next INTEGER NOT NULL, -- when it is seen to again
    failures INTEGER NOT NULL,
    problem TEXT,
    PRIMARY KEY (system, feed)
) STRICT, WITHOUT ROWID;
