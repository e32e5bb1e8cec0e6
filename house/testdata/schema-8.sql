PRAGMA foreign_keys=OFF;
CREATE TABLE goose_db_version (
		id INTEGER PRIMARY KEY AUTOINCREMENT,
		version_id INTEGER NOT NULL,
		is_applied INTEGER NOT NULL,
		tstamp TIMESTAMP DEFAULT (datetime('now'))
	);
INSERT INTO "goose_db_version" VALUES (1, 0, 1, '2026-11-25 22:26:10');
INSERT INTO "goose_db_version" VALUES (2, 1, 1, '2026-11-25 22:26:10');
INSERT INTO "goose_db_version" VALUES (3, 2, 1, '2026-11-25 22:26:10');
INSERT INTO "goose_db_version" VALUES (4, 3, 1, '2026-11-25 22:26:10');
INSERT INTO "goose_db_version" VALUES (5, 4, 1, '2026-11-25 22:26:10');
INSERT INTO "goose_db_version" VALUES (6, 5, 1, '2026-11-25 22:26:10');
INSERT INTO "goose_db_version" VALUES (7, 6, 1, '2026-11-25 22:26:10');
INSERT INTO "goose_db_version" VALUES (8, 7, 1, '2026-11-25 22:26:10');
INSERT INTO "goose_db_version" VALUES (9, 8, 1, '2026-11-25 22:26:10');
CREATE TABLE house (
  one     INTEGER PRIMARY KEY CHECK (one = 1),
  name    TEXT NOT NULL,
  zone    TEXT NOT NULL,
  domains TEXT NOT NULL -- JSON list
);
INSERT INTO "house" VALUES (1, 'Cerro Alcor', 'Europe/Madrid', '["cerroalcor.example"]');
CREATE TABLE people (
  id       TEXT PRIMARY KEY,
  position INTEGER NOT NULL,
  name     TEXT NOT NULL,
  address  TEXT NOT NULL,
  steward  INTEGER NOT NULL DEFAULT 0,
  blocked  INTEGER NOT NULL DEFAULT 0
);
INSERT INTO "people" VALUES ('ines', 0, 'Inés Ortuño', 'ines@cerroalcor.example', 1, 0);
INSERT INTO "people" VALUES ('mateo', 1, 'Mateo Ferrán', 'mateo@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('aiko', 2, 'Aiko Tanabe', 'aiko@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('bram', 3, 'Bram de Wit', 'bram@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('salma', 4, 'Salma Rachidi', 'salma@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('pilar', 5, 'Pilar Quintero', 'pilar@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('jonas', 6, 'Jonas Lindqvist', 'jonas@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('seun', 7, 'Oluwaseun Adeyemi', 'seun@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('mirela', 8, 'Mirela Stanciu', 'mirela@brasov.example', 0, 0);
INSERT INTO "people" VALUES ('tobias', 9, 'Tobias Okafor', 'tobias@lens.example', 0, 0);
INSERT INTO "people" VALUES ('ada-abascal', 10, 'Ada Abascal', 'ada-abascal@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('benito-fjeld', 11, 'Benito Fjeld', 'benito-fjeld@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('carmen-kovacs', 12, 'Carmen Kovacs', 'carmen-kovacs@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('dario-duarte', 13, 'Dario Duarte', 'dario-duarte@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('edda-ibarra', 14, 'Edda Ibarra', 'edda-ibarra@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('farid-brandt', 15, 'Farid Brandt', 'farid-brandt@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('greta-galindo', 16, 'Greta Galindo', 'greta-galindo@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('hugo-lozano', 17, 'Hugo Lozano', 'hugo-lozano@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('irene-escobedo', 18, 'Irene Escobedo', 'irene-escobedo@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('jamal-jansen', 19, 'Jamal Jansen', 'jamal-jansen@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('katya-cifuentes', 20, 'Katya Cifuentes', 'katya-cifuentes@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('leandro-haddad', 21, 'Leandro Haddad', 'leandro-haddad@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('marisol-abascal', 22, 'Marisol Abascal', 'marisol-abascal@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('nils-fjeld', 23, 'Nils Fjeld', 'nils-fjeld@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('odile-kovacs', 24, 'Odile Kovacs', 'odile-kovacs@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('paco-duarte', 25, 'Paco Duarte', 'paco-duarte@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('quim-ibarra', 26, 'Quim Ibarra', 'quim-ibarra@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('rosa-brandt', 27, 'Rosa Brandt', 'rosa-brandt@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('stellan-galindo', 28, 'Stellan Galindo', 'stellan-galindo@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('tamsin-lozano', 29, 'Tamsin Lozano', 'tamsin-lozano@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('ada-fjeld', 30, 'Ada Fjeld', 'ada-fjeld@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('benito-kovacs', 31, 'Benito Kovacs', 'benito-kovacs@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('carmen-duarte', 32, 'Carmen Duarte', 'carmen-duarte@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('dario-ibarra', 33, 'Dario Ibarra', 'dario-ibarra@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('edda-brandt', 34, 'Edda Brandt', 'edda-brandt@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('farid-galindo', 35, 'Farid Galindo', 'farid-galindo@cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('greta-lozano', 36, 'Greta Lozano', 'greta-lozano@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('hugo-escobedo', 37, 'Hugo Escobedo', 'hugo-escobedo@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('irene-jansen', 38, 'Irene Jansen', 'irene-jansen@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('jamal-cifuentes', 39, 'Jamal Cifuentes', 'jamal-cifuentes@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('katya-haddad', 40, 'Katya Haddad', 'katya-haddad@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('leandro-abascal', 41, 'Leandro Abascal', 'leandro-abascal@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('marisol-fjeld', 42, 'Marisol Fjeld', 'marisol-fjeld@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('nils-kovacs', 43, 'Nils Kovacs', 'nils-kovacs@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('odile-duarte', 44, 'Odile Duarte', 'odile-duarte@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('paco-ibarra', 45, 'Paco Ibarra', 'paco-ibarra@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('quim-brandt', 46, 'Quim Brandt', 'quim-brandt@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('rosa-galindo', 47, 'Rosa Galindo', 'rosa-galindo@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('stellan-lozano', 48, 'Stellan Lozano', 'stellan-lozano@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('tamsin-escobedo', 49, 'Tamsin Escobedo', 'tamsin-escobedo@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('ada-kovacs', 50, 'Ada Kovacs', 'ada-kovacs@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('benito-duarte', 51, 'Benito Duarte', 'benito-duarte@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('carmen-ibarra', 52, 'Carmen Ibarra', 'carmen-ibarra@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('dario-brandt', 53, 'Dario Brandt', 'dario-brandt@aula.cerroalcor.example', 0, 0);
INSERT INTO "people" VALUES ('edda-galindo', 54, 'Edda Galindo', 'edda-galindo@post.example', 0, 0);
INSERT INTO "people" VALUES ('farid-lozano', 55, 'Farid Lozano', 'farid-lozano@post.example', 0, 0);
INSERT INTO "people" VALUES ('greta-escobedo', 56, 'Greta Escobedo', 'greta-escobedo@post.example', 0, 0);
INSERT INTO "people" VALUES ('hugo-jansen', 57, 'Hugo Jansen', 'hugo-jansen@post.example', 0, 0);
INSERT INTO "people" VALUES ('irene-cifuentes', 58, 'Irene Cifuentes', 'irene-cifuentes@post.example', 0, 0);
INSERT INTO "people" VALUES ('jamal-haddad', 59, 'Jamal Haddad', 'jamal-haddad@post.example', 0, 0);
INSERT INTO "people" VALUES ('katya-abascal', 60, 'Katya Abascal', 'katya-abascal@post.example', 0, 0);
INSERT INTO "people" VALUES ('leandro-fjeld', 61, 'Leandro Fjeld', 'leandro-fjeld@post.example', 0, 0);
INSERT INTO "people" VALUES ('marisol-kovacs', 62, 'Marisol Kovacs', 'marisol-kovacs@post.example', 0, 0);
INSERT INTO "people" VALUES ('nils-duarte', 63, 'Nils Duarte', 'nils-duarte@post.example', 0, 0);
INSERT INTO "people" VALUES ('odile-ibarra', 64, 'Odile Ibarra', 'odile-ibarra@post.example', 0, 0);
INSERT INTO "people" VALUES ('paco-brandt', 65, 'Paco Brandt', 'paco-brandt@post.example', 0, 0);
INSERT INTO "people" VALUES ('quim-galindo', 66, 'Quim Galindo', 'quim-galindo@post.example', 0, 0);
INSERT INTO "people" VALUES ('rosa-lozano', 67, 'Rosa Lozano', 'rosa-lozano@post.example', 0, 0);
INSERT INTO "people" VALUES ('stellan-escobedo', 68, 'Stellan Escobedo', 'stellan-escobedo@post.example', 0, 0);
INSERT INTO "people" VALUES ('tamsin-jansen', 69, 'Tamsin Jansen', 'tamsin-jansen@post.example', 0, 0);
CREATE TABLE groups   (id TEXT PRIMARY KEY, position INTEGER NOT NULL, part TEXT NOT NULL);
INSERT INTO "groups" VALUES ('council', 0, '{
 "id": "council",
 "name": "Council",
 "people": [
  "ines",
  "pilar",
  "jonas",
  "seun"
 ]
}
');
INSERT INTO "groups" VALUES ('night-crew', 1, '{
 "id": "night-crew",
 "name": "Night crew",
 "people": [
  "mateo",
  "aiko",
  "bram",
  "salma",
  "ada-abascal",
  "benito-fjeld",
  "carmen-kovacs",
  "dario-duarte",
  "edda-ibarra",
  "farid-brandt",
  "greta-galindo",
  "hugo-lozano",
  "irene-escobedo",
  "jamal-jansen"
 ]
}
');
INSERT INTO "groups" VALUES ('antlia', 2, '{
 "id": "antlia",
 "name": "Crew Antlia",
 "people": [
  "katya-cifuentes",
  "leandro-haddad",
  "marisol-abascal",
  "nils-fjeld"
 ]
}
');
INSERT INTO "groups" VALUES ('corvus', 3, '{
 "id": "corvus",
 "name": "Crew Corvus",
 "people": [
  "odile-kovacs",
  "paco-duarte",
  "quim-ibarra",
  "rosa-brandt"
 ]
}
');
INSERT INTO "groups" VALUES ('lacerta', 4, '{
 "id": "lacerta",
 "name": "Crew Lacerta",
 "people": [
  "stellan-galindo",
  "tamsin-lozano",
  "ada-fjeld"
 ]
}
');
INSERT INTO "groups" VALUES ('variable-stars', 5, '{
 "id": "variable-stars",
 "name": "Variable Stars class",
 "groups": [
  "antlia",
  "corvus",
  "lacerta"
 ],
 "until": "2026-12-18T22:00:00Z"
}
');
INSERT INTO "groups" VALUES ('junior', 6, '{
 "id": "junior",
 "name": "Junior section",
 "domains": [
  "aula.cerroalcor.example"
 ]
}
');
CREATE TABLE rules    (id TEXT PRIMARY KEY, position INTEGER NOT NULL, part TEXT NOT NULL);
CREATE TABLE promises (id TEXT PRIMARY KEY, position INTEGER NOT NULL, part TEXT NOT NULL);
INSERT INTO "promises" VALUES ('crews-apart', 0, '{
 "id": "crews-apart",
 "who": "stranger",
 "must": "not-open",
 "site": "variable-stars",
 "path": "/crew",
 "below": true
}
');
INSERT INTO "promises" VALUES ('panel-opens-antlia', 1, '{
 "id": "panel-opens-antlia",
 "who": "pass:panel",
 "must": "open",
 "site": "variable-stars",
 "path": "/crew/antlia",
 "at": "2026-12-12T19:00:00Z"
}
');
INSERT INTO "promises" VALUES ('panel-opens-corvus', 2, '{
 "id": "panel-opens-corvus",
 "who": "pass:panel",
 "must": "open",
 "site": "variable-stars",
 "path": "/crew/corvus",
 "at": "2026-12-12T19:00:00Z"
}
');
INSERT INTO "promises" VALUES ('panel-opens-lacerta', 3, '{
 "id": "panel-opens-lacerta",
 "who": "pass:panel",
 "must": "open",
 "site": "variable-stars",
 "path": "/crew/lacerta",
 "at": "2026-12-12T19:00:00Z"
}
');
INSERT INTO "promises" VALUES ('privacy-society', 4, '{
 "id": "privacy-society",
 "who": "stranger",
 "must": "open",
 "site": "observatory",
 "path": "/privacy"
}
');
INSERT INTO "promises" VALUES ('privacy-stars', 5, '{
 "id": "privacy-stars",
 "who": "stranger",
 "must": "open",
 "site": "variable-stars",
 "path": "/privacy"
}
');
INSERT INTO "promises" VALUES ('privacy-dome', 6, '{
 "id": "privacy-dome",
 "who": "stranger",
 "must": "open",
 "site": "new-dome",
 "path": "/privacy"
}
');
INSERT INTO "promises" VALUES ('council-dossier', 7, '{
 "id": "council-dossier",
 "who": "group:council",
 "must": "open",
 "site": "dossier",
 "path": "/"
}
');
CREATE TABLE sites    (address TEXT PRIMARY KEY, position INTEGER NOT NULL, part TEXT NOT NULL, salt BLOB NOT NULL, live INTEGER);
INSERT INTO "sites" VALUES ('observatory', 0, '{
 "address": "observatory",
 "title": "Cerro Alcor Society",
 "state": "live",
 "listing": true,
 "sign_up": {
  "mode": "approval"
 },
 "pages": [
  {
   "path": "/"
  },
  {
   "path": "/open-nights"
  },
  {
   "path": "/visit"
  },
  {
   "path": "/courses"
  },
  {
   "path": "/telescope"
  },
  {
   "path": "/library"
  },
  {
   "path": "/history"
  },
  {
   "path": "/members"
  },
  {
   "path": "/members/minutes"
  },
  {
   "path": "/members/rota"
  },
  {
   "path": "/members/keys"
  },
  {
   "path": "/privacy"
  }
 ],
 "door": {
  "ways": [
   {
    "way": "anyone"
   },
   {
    "way": "link",
    "links": [
     "press"
    ]
   }
  ]
 },
 "doors": [
  {
   "path": "/members",
   "ways": [
    {
     "way": "members"
    }
   ]
  },
  {
   "path": "/privacy",
   "mode": "instead",
   "ways": [
    {
     "way": "anyone"
    }
   ]
  }
 ],
 "links": [
  {
   "id": "press",
   "label": "Press"
  }
 ],
 "team": [
  {
   "person": "ines",
   "role": "owner"
  },
  {
   "person": "pilar",
   "role": "admin"
  },
  {
   "person": "jonas",
   "role": "editor"
  },
  {
   "person": "seun",
   "role": "usher"
  },
  {
   "address": "helper@outside.example",
   "role": "editor",
   "accepted": false
  },
  {
   "address": "roth@lens.example",
   "role": "editor",
   "under": "/open-nights"
  }
 ]
}
', X'08A23937312E8B85927707C2FECD4508', 31);
INSERT INTO "sites" VALUES ('variable-stars', 1, '{
 "address": "variable-stars",
 "title": "Variable Stars on Thursdays",
 "state": "live",
 "pages": [
  {
   "path": "/"
  },
  {
   "path": "/how-to-join"
  },
  {
   "path": "/privacy"
  },
  {
   "path": "/notes"
  },
  {
   "path": "/notes/week-1"
  },
  {
   "path": "/notes/week-2"
  },
  {
   "path": "/crew/antlia"
  },
  {
   "path": "/crew/corvus"
  },
  {
   "path": "/crew/lacerta"
  },
  {
   "path": "/marking"
  }
 ],
 "door": {
  "ways": [
   {
    "way": "domain",
    "domains": [
     "cerroalcor.example"
    ]
   },
   {
    "way": "people",
    "people": [
     "mirela",
     "tobias"
    ],
    "until": "2026-12-18T22:00:00Z"
   },
   {
    "way": "groups",
    "groups": [
     "variable-stars"
    ]
   },
   {
    "way": "pass",
    "passes": [
     "panel"
    ]
   }
  ]
 },
 "doors": [
  {
   "path": "/how-to-join",
   "mode": "instead",
   "ways": [
    {
     "way": "anyone"
    }
   ]
  },
  {
   "path": "/privacy",
   "mode": "instead",
   "ways": [
    {
     "way": "anyone"
    }
   ]
  },
  {
   "path": "/crew/antlia",
   "ways": [
    {
     "way": "groups",
     "groups": [
      "antlia"
     ]
    },
    {
     "way": "pass",
     "passes": [
      "panel"
     ]
    },
    {
     "way": "groups",
     "groups": [
      "variable-stars"
     ],
     "from": "2026-12-12T19:00:00Z"
    }
   ]
  },
  {
   "path": "/crew/corvus",
   "ways": [
    {
     "way": "groups",
     "groups": [
      "corvus"
     ]
    },
    {
     "way": "pass",
     "passes": [
      "panel"
     ]
    },
    {
     "way": "groups",
     "groups": [
      "variable-stars"
     ],
     "from": "2026-12-12T19:00:00Z"
    }
   ]
  },
  {
   "path": "/crew/lacerta",
   "ways": [
    {
     "way": "groups",
     "groups": [
      "lacerta"
     ]
    },
    {
     "way": "pass",
     "passes": [
      "panel"
     ]
    },
    {
     "way": "groups",
     "groups": [
      "variable-stars"
     ],
     "from": "2026-12-12T19:00:00Z"
    }
   ]
  },
  {
   "path": "/marking",
   "hide": true
  }
 ],
 "passes": [
  {
   "id": "panel",
   "label": "Show night panel",
   "from": "2026-12-12T19:00:00Z",
   "until": "2026-12-12T23:00:00Z"
  }
 ],
 "team": [
  {
   "person": "ines",
   "role": "owner"
  },
  {
   "person": "aiko",
   "role": "publisher"
  },
  {
   "person": "mateo",
   "role": "editor"
  },
  {
   "group": "antlia",
   "role": "editor",
   "under": "/crew/antlia",
   "until": "2026-12-12T19:00:00Z"
  },
  {
   "group": "corvus",
   "role": "editor",
   "under": "/crew/corvus",
   "until": "2026-12-12T19:00:00Z"
  },
  {
   "group": "lacerta",
   "role": "editor",
   "under": "/crew/lacerta",
   "until": "2026-12-12T19:00:00Z"
  }
 ]
}
', X'AB477F241E90EC835C9CEFADF82B8092', 7);
INSERT INTO "sites" VALUES ('new-dome', 2, '{
 "address": "new-dome",
 "title": "The New Dome",
 "state": "live",
 "listing": true,
 "pages": [
  {
   "path": "/"
  },
  {
   "path": "/building"
  },
  {
   "path": "/opening-night"
  },
  {
   "path": "/people"
  },
  {
   "path": "/instruments"
  },
  {
   "path": "/privacy"
  }
 ],
 "door": {
  "ways": [
   {
    "way": "anyone"
   }
  ]
 },
 "doors": [
  {
   "path": "/privacy",
   "mode": "instead",
   "ways": [
    {
     "way": "anyone"
    }
   ]
  }
 ],
 "passes": [
  {
   "id": "builders",
   "label": "Builders",
   "until": "2027-03-06T18:00:00Z"
  }
 ],
 "holding": {
  "on": true,
  "kind": "soon",
  "until": "2027-03-06T18:00:00Z",
  "exempt": [
   "/privacy"
  ],
  "let_in": [
   {
    "way": "pass",
    "passes": [
     "builders"
    ]
   },
   {
    "way": "network",
    "networks": [
     "192.0.2.0/24"
    ]
   }
  ]
 },
 "team": [
  {
   "person": "bram",
   "role": "owner"
  },
  {
   "person": "pilar",
   "role": "viewer"
  }
 ]
}
', X'1C0BB8976CE0A6EA19504CA503778303', 2);
INSERT INTO "sites" VALUES ('instrument-log', 3, '{
 "address": "instrument-log",
 "title": "Instrument Log",
 "state": "live",
 "pages": [
  {
   "path": "/",
   "tables": [
    {
     "id": "nights"
    }
   ]
  },
  {
   "path": "/focuser"
  },
  {
   "path": "/mount"
  },
  {
   "path": "/camera"
  },
  {
   "path": "/dome"
  },
  {
   "path": "/weather"
  },
  {
   "path": "/spares"
  },
  {
   "path": "/calibration"
  },
  {
   "path": "/privacy"
  }
 ],
 "door": {
  "ways": [
   {
    "way": "groups",
    "groups": [
     "night-crew"
    ]
   }
  ]
 },
 "doors": [
  {
   "path": "/privacy",
   "mode": "instead",
   "ways": [
    {
     "way": "anyone"
    }
   ]
  }
 ],
 "holding": {
  "on": true,
  "from": "2026-12-01T01:00:00Z",
  "until": "2026-12-01T03:00:00Z"
 },
 "team": [
  {
   "person": "mateo",
   "role": "owner"
  },
  {
   "person": "aiko",
   "role": "editor"
  }
 ]
}
', X'FE5F0036C27E7A8EEB29E538A896ED48', 112);
INSERT INTO "sites" VALUES ('dossier', 4, '{
 "address": "dossier",
 "title": "Founders Fund Dossier",
 "state": "live",
 "pages": [
  {
   "path": "/"
  },
  {
   "path": "/budget"
  },
  {
   "path": "/schedule"
  },
  {
   "path": "/letters"
  }
 ],
 "door": {
  "ways": [
   {
    "way": "pass"
   }
  ]
 },
 "passes": [
  {
   "id": "hollis",
   "label": "Hollis Trust"
  },
  {
   "id": "ribera",
   "label": "Fundación Ribera",
   "until": "2026-11-25T17:00:00Z"
  },
  {
   "id": "nordlys",
   "label": "Nordlys Fund",
   "until": "2027-01-30T23:00:00Z"
  }
 ],
 "team": [
  {
   "person": "pilar",
   "role": "owner"
  },
  {
   "person": "jonas",
   "role": "publisher"
  }
 ]
}
', X'4046AD68B25FB78005AF4239C9062F7C', 4);
INSERT INTO "sites" VALUES ('august', 5, '{
 "address": "august",
 "title": "August Star Party",
 "team": [
  {
   "person": "salma",
   "role": "owner"
  },
  {
   "person": "seun",
   "role": "editor"
  },
  {
   "person": "jonas",
   "role": "viewer"
  }
 ]
}
', X'0FE476264C1FE9C5AC0107DD4C760738', NULL);
CREATE TABLE members (
  site     TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  person   TEXT NOT NULL REFERENCES people,
  position INTEGER NOT NULL,
  status   TEXT NOT NULL,
  PRIMARY KEY (site, person)
);
INSERT INTO "members" VALUES ('observatory', 'rosa-galindo', 0, 'approved');
INSERT INTO "members" VALUES ('observatory', 'stellan-lozano', 1, 'approved');
INSERT INTO "members" VALUES ('observatory', 'tamsin-escobedo', 2, 'approved');
INSERT INTO "members" VALUES ('observatory', 'ada-kovacs', 3, 'approved');
INSERT INTO "members" VALUES ('observatory', 'benito-duarte', 4, 'approved');
INSERT INTO "members" VALUES ('observatory', 'carmen-ibarra', 5, 'approved');
INSERT INTO "members" VALUES ('observatory', 'dario-brandt', 6, 'approved');
INSERT INTO "members" VALUES ('observatory', 'edda-galindo', 7, 'approved');
INSERT INTO "members" VALUES ('observatory', 'farid-lozano', 8, 'approved');
INSERT INTO "members" VALUES ('observatory', 'greta-escobedo', 9, 'approved');
INSERT INTO "members" VALUES ('observatory', 'hugo-jansen', 10, 'approved');
INSERT INTO "members" VALUES ('observatory', 'irene-cifuentes', 11, 'approved');
INSERT INTO "members" VALUES ('observatory', 'jamal-haddad', 12, 'approved');
INSERT INTO "members" VALUES ('observatory', 'katya-abascal', 13, 'approved');
INSERT INTO "members" VALUES ('observatory', 'leandro-fjeld', 14, 'approved');
INSERT INTO "members" VALUES ('observatory', 'marisol-kovacs', 15, 'approved');
INSERT INTO "members" VALUES ('observatory', 'nils-duarte', 16, 'approved');
INSERT INTO "members" VALUES ('observatory', 'odile-ibarra', 17, 'approved');
INSERT INTO "members" VALUES ('observatory', 'paco-brandt', 18, 'pending');
INSERT INTO "members" VALUES ('observatory', 'quim-galindo', 19, 'pending');
INSERT INTO "members" VALUES ('observatory', 'rosa-lozano', 20, 'pending');
INSERT INTO "members" VALUES ('observatory', 'stellan-escobedo', 21, 'pending');
INSERT INTO "members" VALUES ('observatory', 'tamsin-jansen', 22, 'blocked');
CREATE TABLE pass_secrets (
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  pass    TEXT NOT NULL,
  version INTEGER NOT NULL,
  hash    BLOB NOT NULL, -- argon2id under the site's salt
  weak    INTEGER NOT NULL DEFAULT 0,
  uses    INTEGER NOT NULL DEFAULT 0,
  used_at INTEGER, -- unix seconds
  PRIMARY KEY (site, pass)
);
INSERT INTO "pass_secrets" VALUES ('variable-stars', 'panel', 1, X'70CF7A70882ACAA325D86E1968C681EC02624B01F94208FA145459B8B09ABC87', 0, 0, NULL);
INSERT INTO "pass_secrets" VALUES ('new-dome', 'builders', 1, X'8F98EE1E5BABA2CCC680B12F75356350AEE8064D96B597D79AEBFA6232FDA11C', 0, 0, NULL);
INSERT INTO "pass_secrets" VALUES ('dossier', 'hollis', 1, X'C5864557EFD95E7945C55D669BDAACA4F32A939EBD8FED66B9D76E7CC96F2E44', 1, 0, NULL);
INSERT INTO "pass_secrets" VALUES ('dossier', 'ribera', 1, X'ECC490DD0D8C684194A190141C11C6653C89B2E67AE4B06A33344D8ECF7B984F', 0, 0, NULL);
INSERT INTO "pass_secrets" VALUES ('dossier', 'nordlys', 1, X'EFD41C9EB8F8DD7262AF6DB03AE71F0B3F1AB09FB26D0897315D2581DB2180D4', 0, 14, 1795366800);
CREATE TABLE secrets (name TEXT PRIMARY KEY, value BLOB NOT NULL);
INSERT INTO "secrets" VALUES ('cookies', X'28E550657C8F260E4DCB8A433D9E69E2FF9A0F715A383C976A5AFBF82FC1C205');
CREATE TABLE accounts (
  address  TEXT PRIMARY KEY, -- as addresses are compared
  name     TEXT NOT NULL,
  password TEXT NOT NULL     -- argon2id, in the PHC string format
, must_change INTEGER NOT NULL DEFAULT 0, totp TEXT NOT NULL DEFAULT '', totp_used INTEGER NOT NULL DEFAULT 0, by_mail TEXT NOT NULL DEFAULT '[]');
INSERT INTO "accounts" VALUES ('ines@cerroalcor.example', 'Inés Ortuño', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, 'JBSWY3DPEHPK3PXPJBSWY3DPEHPK3PXP', 0, '[]');
INSERT INTO "accounts" VALUES ('mateo@cerroalcor.example', 'Mateo Ferrán', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('aiko@cerroalcor.example', 'Aiko Tanabe', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('bram@cerroalcor.example', 'Bram de Wit', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('salma@cerroalcor.example', 'Salma Rachidi', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('pilar@cerroalcor.example', 'Pilar Quintero', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('jonas@cerroalcor.example', 'Jonas Lindqvist', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('seun@cerroalcor.example', 'Oluwaseun Adeyemi', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('mirela@brasov.example', 'Mirela Stanciu', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('tobias@lens.example', 'Tobias Okafor', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('ada-abascal@cerroalcor.example', 'Ada Abascal', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('benito-fjeld@cerroalcor.example', 'Benito Fjeld', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('carmen-kovacs@cerroalcor.example', 'Carmen Kovacs', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('dario-duarte@cerroalcor.example', 'Dario Duarte', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('edda-ibarra@cerroalcor.example', 'Edda Ibarra', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('farid-brandt@cerroalcor.example', 'Farid Brandt', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('greta-galindo@cerroalcor.example', 'Greta Galindo', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('hugo-lozano@cerroalcor.example', 'Hugo Lozano', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('irene-escobedo@cerroalcor.example', 'Irene Escobedo', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('jamal-jansen@cerroalcor.example', 'Jamal Jansen', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('katya-cifuentes@cerroalcor.example', 'Katya Cifuentes', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('leandro-haddad@cerroalcor.example', 'Leandro Haddad', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('marisol-abascal@cerroalcor.example', 'Marisol Abascal', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('nils-fjeld@cerroalcor.example', 'Nils Fjeld', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('odile-kovacs@cerroalcor.example', 'Odile Kovacs', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('paco-duarte@cerroalcor.example', 'Paco Duarte', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('quim-ibarra@cerroalcor.example', 'Quim Ibarra', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('rosa-brandt@cerroalcor.example', 'Rosa Brandt', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('stellan-galindo@cerroalcor.example', 'Stellan Galindo', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('tamsin-lozano@cerroalcor.example', 'Tamsin Lozano', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('ada-fjeld@cerroalcor.example', 'Ada Fjeld', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('benito-kovacs@cerroalcor.example', 'Benito Kovacs', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('carmen-duarte@cerroalcor.example', 'Carmen Duarte', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('dario-ibarra@cerroalcor.example', 'Dario Ibarra', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('edda-brandt@cerroalcor.example', 'Edda Brandt', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('farid-galindo@cerroalcor.example', 'Farid Galindo', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('greta-lozano@aula.cerroalcor.example', 'Greta Lozano', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('hugo-escobedo@aula.cerroalcor.example', 'Hugo Escobedo', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('irene-jansen@aula.cerroalcor.example', 'Irene Jansen', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('jamal-cifuentes@aula.cerroalcor.example', 'Jamal Cifuentes', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('katya-haddad@aula.cerroalcor.example', 'Katya Haddad', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('leandro-abascal@aula.cerroalcor.example', 'Leandro Abascal', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('marisol-fjeld@aula.cerroalcor.example', 'Marisol Fjeld', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('nils-kovacs@aula.cerroalcor.example', 'Nils Kovacs', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('odile-duarte@aula.cerroalcor.example', 'Odile Duarte', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('paco-ibarra@aula.cerroalcor.example', 'Paco Ibarra', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('quim-brandt@aula.cerroalcor.example', 'Quim Brandt', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('rosa-galindo@aula.cerroalcor.example', 'Rosa Galindo', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('stellan-lozano@aula.cerroalcor.example', 'Stellan Lozano', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('tamsin-escobedo@aula.cerroalcor.example', 'Tamsin Escobedo', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('ada-kovacs@aula.cerroalcor.example', 'Ada Kovacs', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('benito-duarte@aula.cerroalcor.example', 'Benito Duarte', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('carmen-ibarra@aula.cerroalcor.example', 'Carmen Ibarra', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('dario-brandt@aula.cerroalcor.example', 'Dario Brandt', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('edda-galindo@post.example', 'Edda Galindo', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('farid-lozano@post.example', 'Farid Lozano', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('greta-escobedo@post.example', 'Greta Escobedo', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('hugo-jansen@post.example', 'Hugo Jansen', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('irene-cifuentes@post.example', 'Irene Cifuentes', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('jamal-haddad@post.example', 'Jamal Haddad', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('katya-abascal@post.example', 'Katya Abascal', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('leandro-fjeld@post.example', 'Leandro Fjeld', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('marisol-kovacs@post.example', 'Marisol Kovacs', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('nils-duarte@post.example', 'Nils Duarte', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('odile-ibarra@post.example', 'Odile Ibarra', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('paco-brandt@post.example', 'Paco Brandt', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('quim-galindo@post.example', 'Quim Galindo', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('rosa-lozano@post.example', 'Rosa Lozano', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('stellan-escobedo@post.example', 'Stellan Escobedo', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('tamsin-jansen@post.example', 'Tamsin Jansen', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '[]');
INSERT INTO "accounts" VALUES ('roth@lens.example', 'Nadia Roth', '$argon2id$v=19$m=19456,t=2,p=1$N6cScqZJUTdf5bKFPoirmg$TLqrbFX6Vdb71gYGPd8JVQxADn8g32mFmNzd5ICAZSE', 0, '', 0, '["role"]');
CREATE TABLE sessions (token TEXT PRIMARY KEY, data BLOB NOT NULL, expiry REAL NOT NULL);
CREATE TABLE visits (
  token   BLOB PRIMARY KEY, -- SHA-256 of the cookie's value
  site    TEXT NOT NULL,
  address TEXT NOT NULL,
  console TEXT NOT NULL,    -- the console session it was handed over from
  expires INTEGER NOT NULL  -- unix seconds
);
INSERT INTO "visits" VALUES (X'C9AA9A99DF75F87B42CCEB2163E66B4F52CC5CE2D7700AE4A3FABF7718EB00A0', 'instrument-log', 'mateo@cerroalcor.example', 'sign-in-of-mateo', 2082758400);
CREATE TABLE pages (
  site     TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  path     TEXT NOT NULL,
  title    TEXT NOT NULL,
  body     TEXT NOT NULL, -- Markdown
  position INTEGER NOT NULL,
  in_menu  INTEGER NOT NULL, id TEXT NOT NULL DEFAULT '', version INTEGER NOT NULL DEFAULT 1, listing INTEGER NOT NULL DEFAULT 1, saved_at INTEGER NOT NULL DEFAULT 0, saved_by TEXT NOT NULL DEFAULT '', kind TEXT NOT NULL DEFAULT 'markdown', mark TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (site, path)
);
INSERT INTO "pages" VALUES ('observatory', '/', 'Welcome', '# Clear nights, warm drinks

The Cerro Alcor Society looks after a 40 cm telescope on a hill that is dark enough to read the Milky Way by. Whoever wants to look through it is welcome.

- **Open nights** every second Friday from dusk
- **Courses** on Thursdays, in autumn and spring
- **The library** whenever the lamp over its door is lit

![The hill at dusk](/hill.svg)', 0, 1, 'p-', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', 'aa47f839a58b0297830f6e37d575f383');
INSERT INTO "pages" VALUES ('observatory', '/open-nights', 'Open nights', '# Open nights

Every second Friday from dusk to midnight. Wear more than you think. Red lamps only.

| Night | Theme | Keeper |
|---|---|---|
| 27 November | Pleiades and Hyades | Aiko |
| 11 December | The winter hexagon | Bram |', 1, 1, 'p-open-nights', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', 'aac0810c481982a49cf507d7b86b0989');
INSERT INTO "pages" VALUES ('observatory', '/visit', 'Getting here', '# Getting here

The track leaves the road at kilometre 14. Please drive the last bend with dipped lights.', 2, 1, 'p-visit', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '92e7084d743ee70ff7fb0f53e7c704cd');
INSERT INTO "pages" VALUES ('observatory', '/courses', 'Courses', '# Courses

*Variable Stars on Thursdays* runs until 18 December. The next course begins in March.', 3, 1, 'p-courses', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', 'a93366116bfda917e1eeea7c39338aab');
INSERT INTO "pages" VALUES ('observatory', '/telescope', 'The telescope', '# The telescope

A reflector of 40 cm, made over two winters by the founders of the society.', 4, 0, 'p-telescope', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', 'f5dd1aa72bc36162e2ad68319a919d82');
INSERT INTO "pages" VALUES ('observatory', '/library', 'Library', '# Library

Some nine hundred books, most of them about things far away.', 5, 0, 'p-library', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '004af29818969d4abac35b68a0023311');
INSERT INTO "pages" VALUES ('observatory', '/history', 'History', '# History

It began with eleven people, one barn and a borrowed eyepiece.', 6, 0, 'p-history', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '5be761a744476dbe8b9d56d464abd47a');
INSERT INTO "pages" VALUES ('observatory', '/members', 'Members', '# For members

Minutes, keys and the rota.', 7, 1, 'p-members', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '4c54ff41d075d82fddea7e7e279fc137');
INSERT INTO "pages" VALUES ('observatory', '/members/minutes', 'Minutes', '# Minutes

The council met on the first Monday of the month.', 8, 0, 'p-members-minutes', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '0f56ab87072b9b24a8b20cca3656439b');
INSERT INTO "pages" VALUES ('observatory', '/members/rota', 'Rota', '# Rota

Whoever keeps a night writes it down here.', 9, 0, 'p-members-rota', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '212a2f766186a5fbd55bb48a27e8e9c0');
INSERT INTO "pages" VALUES ('observatory', '/members/keys', 'Keys', '# Keys

The code of the key safe changes on the first of each month.', 10, 0, 'p-members-keys', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', 'acc34571d1f6deeb9ec23f3bd14a9dcf');
INSERT INTO "pages" VALUES ('observatory', '/privacy', 'Privacy', '# Privacy

We keep the address you write to us with, and nothing else.', 11, 0, 'p-privacy', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', 'a813e7272b4b5adf9ce181149fac3471');
INSERT INTO "pages" VALUES ('variable-stars', '/', 'Welcome', '# Variable stars on Thursdays

We estimate brightness by eye, compare notes, and argue about half a tenth of a magnitude.', 0, 1, 'p-', 1, 1, 1794848400, 'ines@cerroalcor.example', 'markdown', '47c0ea70360c9e5ec8e87124d79625b5');
INSERT INTO "pages" VALUES ('variable-stars', '/how-to-join', 'How to join', '# How to join

Come on a Thursday at seven, or write to Inés Ortuño.', 1, 1, 'p-how-to-join', 1, 1, 1794848400, 'ines@cerroalcor.example', 'markdown', 'd27ed1738b9941aee598a29cede00ec6');
INSERT INTO "pages" VALUES ('variable-stars', '/privacy', 'Privacy', '# Privacy

Estimates are published with initials only.', 2, 0, 'p-privacy', 1, 1, 1794848400, 'ines@cerroalcor.example', 'markdown', '0525332a6e623469c7c0679b0f7facb1');
INSERT INTO "pages" VALUES ('variable-stars', '/notes', 'Course notes', '# Course notes

One page a week.', 3, 1, 'p-notes', 1, 1, 1794848400, 'ines@cerroalcor.example', 'markdown', '42b9f4253ed85ca91372cd45281cfb26');
INSERT INTO "pages" VALUES ('variable-stars', '/notes/week-1', 'Week 1: Mira', '# Week 1: Mira

A star that goes from plain sight to nothing, and back in eleven months.', 4, 0, 'p-notes-week-1', 1, 1, 1794848400, 'ines@cerroalcor.example', 'markdown', '629fd5d69f302c5c957b4e5045889d5a');
INSERT INTO "pages" VALUES ('variable-stars', '/notes/week-2', 'Week 2: Algol', '# Week 2: Algol

Two stars that take turns. The minimum lasts ten hours; do not be late.

Bring a watch that shows seconds.', 5, 0, 'p-notes-week-2', 1, 1, 1794848400, 'ines@cerroalcor.example', 'markdown', '1d7e56b8b558506364e9f2d92887c2ee');
INSERT INTO "pages" VALUES ('variable-stars', '/crew/antlia', 'Crew Antlia', '# Crew Antlia

Our light curve of R Leonis, so far.', 6, 0, 'p-crew-antlia', 1, 1, 1794848400, 'ines@cerroalcor.example', 'markdown', '574953db3d70fa75ca05f8bf8695f5ad');
INSERT INTO "pages" VALUES ('variable-stars', '/crew/corvus', 'Crew Corvus', '# Crew Corvus

Four nights of beta Persei, and one of clouds. Two more nights since.', 7, 0, 'p-crew-corvus', 1, 1, 1794848400, 'ines@cerroalcor.example', 'markdown', 'fc94b54be159345bd6008ec2f0fd9055');
INSERT INTO "pages" VALUES ('variable-stars', '/crew/lacerta', 'Crew Lacerta', '# Crew Lacerta

We follow delta Cephei with two binoculars and a spreadsheet.', 8, 0, 'p-crew-lacerta', 1, 1, 1794848400, 'ines@cerroalcor.example', 'markdown', 'c54b9f0b7ed55e284c55402b1278b62e');
INSERT INTO "pages" VALUES ('variable-stars', '/marking', 'Marking', '# Marking

How show night is judged, crew by crew.', 9, 0, 'p-marking', 1, 1, 1794848400, 'ines@cerroalcor.example', 'markdown', '331febfda17dd1392795751fbf526109');
INSERT INTO "pages" VALUES ('variable-stars', '/notes/week-3', 'Week 3: Delta Cephei', '# Week 3: Delta Cephei

Five days and nine hours, like a clock.', 10, 0, 'p-notes-week-3', 1, 1, -62135596800, '', 'markdown', '20cc175589cfd4703a4d2cdde9d0be15');
INSERT INTO "pages" VALUES ('new-dome', '/', 'The New Dome', '# The new dome opens

Six metres across, and it turns with one hand.', 0, 1, 'p-', 1, 1, 1795280400, 'ines@cerroalcor.example', 'markdown', '1dc07b2692a472d0bb8910fcdc670bf0');
INSERT INTO "pages" VALUES ('new-dome', '/building', 'How it was built', '# How it was built

From the first ring of stones to the last panel.', 1, 1, 'p-building', 1, 1, 1795280400, 'ines@cerroalcor.example', 'markdown', '6f4874a3fa869de092f685c0e306cbd1');
INSERT INTO "pages" VALUES ('new-dome', '/opening-night', 'Opening night', '# Opening night

6 March, seven in the evening.', 2, 1, 'p-opening-night', 1, 1, 1795280400, 'ines@cerroalcor.example', 'markdown', 'ccc561bc5cd96e80bae63028b6e1b260');
INSERT INTO "pages" VALUES ('new-dome', '/people', 'Who built it', '# Who built it

Forty-one people and a donkey.', 3, 0, 'p-people', 1, 1, 1795280400, 'ines@cerroalcor.example', 'markdown', 'b479b7c027cd56031c776dd9c9f64f18');
INSERT INTO "pages" VALUES ('new-dome', '/instruments', 'Instruments', '# Instruments

What stands under the dome, and what comes next.', 4, 0, 'p-instruments', 1, 1, 1795280400, 'ines@cerroalcor.example', 'markdown', '91bd5431d70f9beb60865602ff102570');
INSERT INTO "pages" VALUES ('new-dome', '/privacy', 'Privacy', '# Privacy

We count visits, not visitors.', 5, 0, 'p-privacy', 1, 1, 1795280400, 'ines@cerroalcor.example', 'markdown', 'a1a0ea732ca7c20f3f8b873592ca0c9f');
INSERT INTO "pages" VALUES ('instrument-log', '/', 'Log', '# Instrument log

Write down what you touched.

[[table nights: /files/nights.csv]]', 0, 1, 'p-', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '9787fe8c6ce35c96a335438fc085451d');
INSERT INTO "pages" VALUES ('instrument-log', '/focuser', 'Focuser', '# Focuser

Slips below two degrees.', 1, 1, 'p-focuser', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '9ee641ff118afd8cb44560e7cc1fa231');
INSERT INTO "pages" VALUES ('instrument-log', '/mount', 'Mount', '# Mount

Greased on the first of the month.', 2, 1, 'p-mount', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', 'cdfbc5e896263812c0a909c748df1103');
INSERT INTO "pages" VALUES ('instrument-log', '/camera', 'Camera', '# Camera

Darks are taken on the last clear night of the month.', 3, 1, 'p-camera', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', 'e4e6abbdde2cd09c4fc9a46c3b1c1d77');
INSERT INTO "pages" VALUES ('instrument-log', '/dome', 'Dome', '# Dome

The shutter sticks when it is wet.', 4, 0, 'p-dome', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', 'b01d5d9a3df70fbf6ca5221ca6bc619e');
INSERT INTO "pages" VALUES ('instrument-log', '/weather', 'Weather station', '# Weather station

The anemometer squeaks, and measures all the same.', 5, 0, 'p-weather', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '056312a46d8f674d5e6b3ec12aaa9077');
INSERT INTO "pages" VALUES ('instrument-log', '/spares', 'Spares', '# Spares

What lies in which drawer.', 6, 0, 'p-spares', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '0d13b5048872570a664957069a36eb8c');
INSERT INTO "pages" VALUES ('instrument-log', '/calibration', 'Calibration', '# Calibration

Flat fields, twilight or lamp.', 7, 0, 'p-calibration', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', 'dd0e54314c83c3d70f05e349d92ad18a');
INSERT INTO "pages" VALUES ('instrument-log', '/privacy', 'Privacy', '# Privacy

Names of observers stay in the crew.', 8, 0, 'p-privacy', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '083a3310e3895b86de2b5da3464586d2');
INSERT INTO "pages" VALUES ('dossier', '/', 'The dossier', '# Founders fund

What we ask for, and what it would make possible.', 0, 1, 'p-', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '473bb673ecb4fe5c5f6da7f7947959b1');
INSERT INTO "pages" VALUES ('dossier', '/budget', 'Budget', '# Budget

| What | Amount |
|---|---|
| Mirror coating | 4 200 |
| Heating for the library | 2 900 |', 1, 1, 'p-budget', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '691c772128a80d19a24fd386f9ae3c61');
INSERT INTO "pages" VALUES ('dossier', '/schedule', 'Schedule', '# Schedule

From signature to first light.', 2, 1, 'p-schedule', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '85d6bdb8a9d5505f5d4b472b256bd371');
INSERT INTO "pages" VALUES ('dossier', '/letters', 'Letters of support', '# Letters of support

From three schools and a town hall.', 3, 0, 'p-letters', 1, 1, 1795107600, 'ines@cerroalcor.example', 'markdown', '565940ca5289e62d3600974e86a03d9d');
INSERT INTO "pages" VALUES ('august', '/', 'August Star Party', '# August star party

Three nights of falling stars.', 0, 1, 'p-', 1, 1, 1795453200, 'ines@cerroalcor.example', 'markdown', 'a379631ae0ec8a60a0898b03c5865421');
INSERT INTO "pages" VALUES ('august', '/programme', 'Programme', '# Programme

Still being argued about.', 1, 1, 'p-programme', 1, 1, 1795453200, 'ines@cerroalcor.example', 'markdown', '0d18214313663cd5ed08a01c1471a3f7');
INSERT INTO "pages" VALUES ('august', '/camping', 'Camping', '# Camping

Bring a tent and no lamp.', 2, 0, 'p-camping', 1, 1, 1795453200, 'ines@cerroalcor.example', 'markdown', '3afcc5c1ed057a8e7c4be4d71ddf0692');
INSERT INTO "pages" VALUES ('august', '/food', 'Food', '# Food

Soup at midnight.', 3, 0, 'p-food', 1, 1, 1795453200, 'ines@cerroalcor.example', 'markdown', '0d39426e66cfb72b381ccdcb1f48e92f');
INSERT INTO "pages" VALUES ('august', '/volunteers', 'Volunteers', '# Volunteers

Who does what.', 4, 0, 'p-volunteers', 1, 1, 1795453200, 'ines@cerroalcor.example', 'markdown', '64968c4439dedc0bb3d4587ae2f4cb06');
CREATE TABLE editions (
  site   TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  number INTEGER NOT NULL,
  at     INTEGER NOT NULL, -- unix seconds
  who    TEXT NOT NULL,
  note   TEXT NOT NULL,
  PRIMARY KEY (site, number)
);
INSERT INTO "editions" VALUES ('observatory', 29, 1790269200, 'ines@cerroalcor.example', 'The courses of the autumn');
INSERT INTO "editions" VALUES ('observatory', 30, 1793811600, 'pilar@cerroalcor.example', 'How it began, and the open night of November');
INSERT INTO "editions" VALUES ('observatory', 31, 1795107600, 'ines@cerroalcor.example', 'The open night of 11 December');
INSERT INTO "editions" VALUES ('variable-stars', 6, 1794416400, 'aiko@cerroalcor.example', 'Week 1');
INSERT INTO "editions" VALUES ('variable-stars', 7, 1794848400, 'ines@cerroalcor.example', 'Week 2');
INSERT INTO "editions" VALUES ('new-dome', 2, 1795280400, 'ines@cerroalcor.example', '');
INSERT INTO "editions" VALUES ('instrument-log', 112, 1795107600, 'ines@cerroalcor.example', '');
INSERT INTO "editions" VALUES ('dossier', 4, 1795107600, 'ines@cerroalcor.example', '');
INSERT INTO "editions" VALUES ('variable-stars', 8, 1795712400, 'aiko@cerroalcor.example', 'For Thursday');
CREATE TABLE edition_pages (
  site     TEXT NOT NULL,
  number   INTEGER NOT NULL,
  path     TEXT NOT NULL,
  title    TEXT NOT NULL,
  body     TEXT NOT NULL,
  html     TEXT NOT NULL, -- rendered and sanitised
  position INTEGER NOT NULL,
  in_menu  INTEGER NOT NULL, id TEXT NOT NULL DEFAULT '', listing INTEGER NOT NULL DEFAULT 1, kind TEXT NOT NULL DEFAULT 'markdown', mark TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (site, number, path),
  FOREIGN KEY (site, number) REFERENCES editions ON DELETE CASCADE ON UPDATE CASCADE
);
INSERT INTO "edition_pages" VALUES ('observatory', 29, '/', 'Welcome', '# Clear nights, warm drinks

The Cerro Alcor Society looks after a 40 cm telescope on a hill that is dark enough to read the Milky Way by. Whoever wants to look through it is welcome.

- **Open nights** every second Friday from dusk
- **Courses** on Thursdays, in autumn and spring
- **The library** whenever the lamp over its door is lit

![The hill at dusk](/hill.svg)', '<h1 id="clear-nights-warm-drinks">Clear nights, warm drinks</h1>
<p>The Cerro Alcor Society looks after a 40 cm telescope on a hill that is dark enough to read the Milky Way by. Whoever wants to look through it is welcome.</p>
<ul>
<li><strong>Open nights</strong> every second Friday from dusk</li>
<li><strong>Courses</strong> on Thursdays, in autumn and spring</li>
<li><strong>The library</strong> whenever the lamp over its door is lit</li>
</ul>
<p><img src="/hill.svg" alt="The hill at dusk"></p>
', 0, 1, 'p-', 1, 'markdown', 'aa47f839a58b0297830f6e37d575f383');
INSERT INTO "edition_pages" VALUES ('observatory', 29, '/open-nights', 'Open nights', '# Open nights

Every second Friday from dusk to midnight. Wear more than you think. Red lamps only.

| Night | Theme | Keeper |
|---|---|---|
| 30 October | Andromeda | Bram |', '<h1 id="open-nights">Open nights</h1>
<p>Every second Friday from dusk to midnight. Wear more than you think. Red lamps only.</p>
<table>
<thead>
<tr>
<th>Night</th>
<th>Theme</th>
<th>Keeper</th>
</tr>
</thead>
<tbody>
<tr>
<td>30 October</td>
<td>Andromeda</td>
<td>Bram</td>
</tr>
</tbody>
</table>
', 1, 1, 'p-open-nights', 1, 'markdown', '58a34d49ea30be4224f2538687f4b7a4');
INSERT INTO "edition_pages" VALUES ('observatory', 29, '/visit', 'Getting here', '# Getting here

The track leaves the road at kilometre 14.', '<h1 id="getting-here">Getting here</h1>
<p>The track leaves the road at kilometre 14.</p>
', 2, 1, 'p-visit', 1, 'markdown', '8763dfcee95e51bc27b2da7826a6650e');
INSERT INTO "edition_pages" VALUES ('observatory', 29, '/courses', 'Courses', '# Courses

*Variable Stars on Thursdays* runs until 18 December. The next course begins in March.', '<h1 id="courses">Courses</h1>
<p><em>Variable Stars on Thursdays</em> runs until 18 December. The next course begins in March.</p>
', 3, 1, 'p-courses', 1, 'markdown', 'a93366116bfda917e1eeea7c39338aab');
INSERT INTO "edition_pages" VALUES ('observatory', 29, '/telescope', 'The telescope', '# The telescope

A reflector of 40 cm, made over two winters by the founders of the society.', '<h1 id="the-telescope">The telescope</h1>
<p>A reflector of 40 cm, made over two winters by the founders of the society.</p>
', 4, 0, 'p-telescope', 1, 'markdown', 'f5dd1aa72bc36162e2ad68319a919d82');
INSERT INTO "edition_pages" VALUES ('observatory', 29, '/library', 'Library', '# Library

Some nine hundred books, most of them about things far away.', '<h1 id="library">Library</h1>
<p>Some nine hundred books, most of them about things far away.</p>
', 5, 0, 'p-library', 1, 'markdown', '004af29818969d4abac35b68a0023311');
INSERT INTO "edition_pages" VALUES ('observatory', 29, '/members', 'Members', '# For members

Minutes, keys and the rota.', '<h1 id="for-members">For members</h1>
<p>Minutes, keys and the rota.</p>
', 6, 1, 'p-members', 1, 'markdown', '4c54ff41d075d82fddea7e7e279fc137');
INSERT INTO "edition_pages" VALUES ('observatory', 29, '/members/minutes', 'Minutes', '# Minutes

The council met on the first Monday of the month.', '<h1 id="minutes">Minutes</h1>
<p>The council met on the first Monday of the month.</p>
', 7, 0, 'p-members-minutes', 1, 'markdown', '0f56ab87072b9b24a8b20cca3656439b');
INSERT INTO "edition_pages" VALUES ('observatory', 29, '/members/rota', 'Rota', '# Rota

Whoever keeps a night writes it down here.', '<h1 id="rota">Rota</h1>
<p>Whoever keeps a night writes it down here.</p>
', 8, 0, 'p-members-rota', 1, 'markdown', '212a2f766186a5fbd55bb48a27e8e9c0');
INSERT INTO "edition_pages" VALUES ('observatory', 29, '/members/keys', 'Keys', '# Keys

The code of the key safe changes on the first of each month.', '<h1 id="keys">Keys</h1>
<p>The code of the key safe changes on the first of each month.</p>
', 9, 0, 'p-members-keys', 1, 'markdown', 'acc34571d1f6deeb9ec23f3bd14a9dcf');
INSERT INTO "edition_pages" VALUES ('observatory', 29, '/privacy', 'Privacy', '# Privacy

We keep the address you write to us with, and nothing else.', '<h1 id="privacy">Privacy</h1>
<p>We keep the address you write to us with, and nothing else.</p>
', 10, 0, 'p-privacy', 1, 'markdown', 'a813e7272b4b5adf9ce181149fac3471');
INSERT INTO "edition_pages" VALUES ('observatory', 30, '/', 'Welcome', '# Clear nights, warm drinks

The Cerro Alcor Society looks after a 40 cm telescope on a hill that is dark enough to read the Milky Way by. Whoever wants to look through it is welcome.

- **Open nights** every second Friday from dusk
- **Courses** on Thursdays, in autumn and spring
- **The library** whenever the lamp over its door is lit

![The hill at dusk](/hill.svg)', '<h1 id="clear-nights-warm-drinks">Clear nights, warm drinks</h1>
<p>The Cerro Alcor Society looks after a 40 cm telescope on a hill that is dark enough to read the Milky Way by. Whoever wants to look through it is welcome.</p>
<ul>
<li><strong>Open nights</strong> every second Friday from dusk</li>
<li><strong>Courses</strong> on Thursdays, in autumn and spring</li>
<li><strong>The library</strong> whenever the lamp over its door is lit</li>
</ul>
<p><img src="/hill.svg" alt="The hill at dusk"></p>
', 0, 1, 'p-', 1, 'markdown', 'aa47f839a58b0297830f6e37d575f383');
INSERT INTO "edition_pages" VALUES ('observatory', 30, '/open-nights', 'Open nights', '# Open nights

Every second Friday from dusk to midnight. Wear more than you think. Red lamps only.

| Night | Theme | Keeper |
|---|---|---|
| 27 November | Pleiades and Hyades | Aiko |', '<h1 id="open-nights">Open nights</h1>
<p>Every second Friday from dusk to midnight. Wear more than you think. Red lamps only.</p>
<table>
<thead>
<tr>
<th>Night</th>
<th>Theme</th>
<th>Keeper</th>
</tr>
</thead>
<tbody>
<tr>
<td>27 November</td>
<td>Pleiades and Hyades</td>
<td>Aiko</td>
</tr>
</tbody>
</table>
', 1, 1, 'p-open-nights', 1, 'markdown', 'af5a94df8478968ffe1e2f01d7aeb521');
INSERT INTO "edition_pages" VALUES ('observatory', 30, '/visit', 'Getting here', '# Getting here

The track leaves the road at kilometre 14. Please drive the last bend with dipped lights.', '<h1 id="getting-here">Getting here</h1>
<p>The track leaves the road at kilometre 14. Please drive the last bend with dipped lights.</p>
', 2, 1, 'p-visit', 1, 'markdown', '92e7084d743ee70ff7fb0f53e7c704cd');
INSERT INTO "edition_pages" VALUES ('observatory', 30, '/courses', 'Courses', '# Courses

*Variable Stars on Thursdays* runs until 18 December. The next course begins in March.', '<h1 id="courses">Courses</h1>
<p><em>Variable Stars on Thursdays</em> runs until 18 December. The next course begins in March.</p>
', 3, 1, 'p-courses', 1, 'markdown', 'a93366116bfda917e1eeea7c39338aab');
INSERT INTO "edition_pages" VALUES ('observatory', 30, '/telescope', 'The telescope', '# The telescope

A reflector of 40 cm, made over two winters by the founders of the society.', '<h1 id="the-telescope">The telescope</h1>
<p>A reflector of 40 cm, made over two winters by the founders of the society.</p>
', 4, 0, 'p-telescope', 1, 'markdown', 'f5dd1aa72bc36162e2ad68319a919d82');
INSERT INTO "edition_pages" VALUES ('observatory', 30, '/library', 'Library', '# Library

Some nine hundred books, most of them about things far away.', '<h1 id="library">Library</h1>
<p>Some nine hundred books, most of them about things far away.</p>
', 5, 0, 'p-library', 1, 'markdown', '004af29818969d4abac35b68a0023311');
INSERT INTO "edition_pages" VALUES ('observatory', 30, '/history', 'History', '# History

It began with eleven people, one barn and a borrowed eyepiece.', '<h1 id="history">History</h1>
<p>It began with eleven people, one barn and a borrowed eyepiece.</p>
', 6, 0, 'p-history', 1, 'markdown', '5be761a744476dbe8b9d56d464abd47a');
INSERT INTO "edition_pages" VALUES ('observatory', 30, '/members', 'Members', '# For members

Minutes, keys and the rota.', '<h1 id="for-members">For members</h1>
<p>Minutes, keys and the rota.</p>
', 7, 1, 'p-members', 1, 'markdown', '4c54ff41d075d82fddea7e7e279fc137');
INSERT INTO "edition_pages" VALUES ('observatory', 30, '/members/minutes', 'Minutes', '# Minutes

The council met on the first Monday of the month.', '<h1 id="minutes">Minutes</h1>
<p>The council met on the first Monday of the month.</p>
', 8, 0, 'p-members-minutes', 1, 'markdown', '0f56ab87072b9b24a8b20cca3656439b');
INSERT INTO "edition_pages" VALUES ('observatory', 30, '/members/rota', 'Rota', '# Rota

Whoever keeps a night writes it down here.', '<h1 id="rota">Rota</h1>
<p>Whoever keeps a night writes it down here.</p>
', 9, 0, 'p-members-rota', 1, 'markdown', '212a2f766186a5fbd55bb48a27e8e9c0');
INSERT INTO "edition_pages" VALUES ('observatory', 30, '/members/keys', 'Keys', '# Keys

The code of the key safe changes on the first of each month.', '<h1 id="keys">Keys</h1>
<p>The code of the key safe changes on the first of each month.</p>
', 10, 0, 'p-members-keys', 1, 'markdown', 'acc34571d1f6deeb9ec23f3bd14a9dcf');
INSERT INTO "edition_pages" VALUES ('observatory', 30, '/privacy', 'Privacy', '# Privacy

We keep the address you write to us with, and nothing else.', '<h1 id="privacy">Privacy</h1>
<p>We keep the address you write to us with, and nothing else.</p>
', 11, 0, 'p-privacy', 1, 'markdown', 'a813e7272b4b5adf9ce181149fac3471');
INSERT INTO "edition_pages" VALUES ('observatory', 31, '/', 'Welcome', '# Clear nights, warm drinks

The Cerro Alcor Society looks after a 40 cm telescope on a hill that is dark enough to read the Milky Way by. Whoever wants to look through it is welcome.

- **Open nights** every second Friday from dusk
- **Courses** on Thursdays, in autumn and spring
- **The library** whenever the lamp over its door is lit

![The hill at dusk](/hill.svg)', '<h1 id="clear-nights-warm-drinks">Clear nights, warm drinks</h1>
<p>The Cerro Alcor Society looks after a 40 cm telescope on a hill that is dark enough to read the Milky Way by. Whoever wants to look through it is welcome.</p>
<ul>
<li><strong>Open nights</strong> every second Friday from dusk</li>
<li><strong>Courses</strong> on Thursdays, in autumn and spring</li>
<li><strong>The library</strong> whenever the lamp over its door is lit</li>
</ul>
<p><img src="/hill.svg" alt="The hill at dusk"></p>
', 0, 1, 'p-', 1, 'markdown', 'aa47f839a58b0297830f6e37d575f383');
INSERT INTO "edition_pages" VALUES ('observatory', 31, '/open-nights', 'Open nights', '# Open nights

Every second Friday from dusk to midnight. Wear more than you think. Red lamps only.

| Night | Theme | Keeper |
|---|---|---|
| 27 November | Pleiades and Hyades | Aiko |
| 11 December | The winter hexagon | Bram |', '<h1 id="open-nights">Open nights</h1>
<p>Every second Friday from dusk to midnight. Wear more than you think. Red lamps only.</p>
<table>
<thead>
<tr>
<th>Night</th>
<th>Theme</th>
<th>Keeper</th>
</tr>
</thead>
<tbody>
<tr>
<td>27 November</td>
<td>Pleiades and Hyades</td>
<td>Aiko</td>
</tr>
<tr>
<td>11 December</td>
<td>The winter hexagon</td>
<td>Bram</td>
</tr>
</tbody>
</table>
', 1, 1, 'p-open-nights', 1, 'markdown', 'aac0810c481982a49cf507d7b86b0989');
INSERT INTO "edition_pages" VALUES ('observatory', 31, '/visit', 'Getting here', '# Getting here

The track leaves the road at kilometre 14. Please drive the last bend with dipped lights.', '<h1 id="getting-here">Getting here</h1>
<p>The track leaves the road at kilometre 14. Please drive the last bend with dipped lights.</p>
', 2, 1, 'p-visit', 1, 'markdown', '92e7084d743ee70ff7fb0f53e7c704cd');
INSERT INTO "edition_pages" VALUES ('observatory', 31, '/courses', 'Courses', '# Courses

*Variable Stars on Thursdays* runs until 18 December. The next course begins in March.', '<h1 id="courses">Courses</h1>
<p><em>Variable Stars on Thursdays</em> runs until 18 December. The next course begins in March.</p>
', 3, 1, 'p-courses', 1, 'markdown', 'a93366116bfda917e1eeea7c39338aab');
INSERT INTO "edition_pages" VALUES ('observatory', 31, '/telescope', 'The telescope', '# The telescope

A reflector of 40 cm, made over two winters by the founders of the society.', '<h1 id="the-telescope">The telescope</h1>
<p>A reflector of 40 cm, made over two winters by the founders of the society.</p>
', 4, 0, 'p-telescope', 1, 'markdown', 'f5dd1aa72bc36162e2ad68319a919d82');
INSERT INTO "edition_pages" VALUES ('observatory', 31, '/library', 'Library', '# Library

Some nine hundred books, most of them about things far away.', '<h1 id="library">Library</h1>
<p>Some nine hundred books, most of them about things far away.</p>
', 5, 0, 'p-library', 1, 'markdown', '004af29818969d4abac35b68a0023311');
INSERT INTO "edition_pages" VALUES ('observatory', 31, '/history', 'History', '# History

It began with eleven people, one barn and a borrowed eyepiece.', '<h1 id="history">History</h1>
<p>It began with eleven people, one barn and a borrowed eyepiece.</p>
', 6, 0, 'p-history', 1, 'markdown', '5be761a744476dbe8b9d56d464abd47a');
INSERT INTO "edition_pages" VALUES ('observatory', 31, '/members', 'Members', '# For members

Minutes, keys and the rota.', '<h1 id="for-members">For members</h1>
<p>Minutes, keys and the rota.</p>
', 7, 1, 'p-members', 1, 'markdown', '4c54ff41d075d82fddea7e7e279fc137');
INSERT INTO "edition_pages" VALUES ('observatory', 31, '/members/minutes', 'Minutes', '# Minutes

The council met on the first Monday of the month.', '<h1 id="minutes">Minutes</h1>
<p>The council met on the first Monday of the month.</p>
', 8, 0, 'p-members-minutes', 1, 'markdown', '0f56ab87072b9b24a8b20cca3656439b');
INSERT INTO "edition_pages" VALUES ('observatory', 31, '/members/rota', 'Rota', '# Rota

Whoever keeps a night writes it down here.', '<h1 id="rota">Rota</h1>
<p>Whoever keeps a night writes it down here.</p>
', 9, 0, 'p-members-rota', 1, 'markdown', '212a2f766186a5fbd55bb48a27e8e9c0');
INSERT INTO "edition_pages" VALUES ('observatory', 31, '/members/keys', 'Keys', '# Keys

The code of the key safe changes on the first of each month.', '<h1 id="keys">Keys</h1>
<p>The code of the key safe changes on the first of each month.</p>
', 10, 0, 'p-members-keys', 1, 'markdown', 'acc34571d1f6deeb9ec23f3bd14a9dcf');
INSERT INTO "edition_pages" VALUES ('observatory', 31, '/privacy', 'Privacy', '# Privacy

We keep the address you write to us with, and nothing else.', '<h1 id="privacy">Privacy</h1>
<p>We keep the address you write to us with, and nothing else.</p>
', 11, 0, 'p-privacy', 1, 'markdown', 'a813e7272b4b5adf9ce181149fac3471');
INSERT INTO "edition_pages" VALUES ('variable-stars', 6, '/', 'Welcome', '# Variable stars on Thursdays

We estimate brightness by eye, compare notes, and argue about half a tenth of a magnitude.', '<h1 id="variable-stars-on-thursdays">Variable stars on Thursdays</h1>
<p>We estimate brightness by eye, compare notes, and argue about half a tenth of a magnitude.</p>
', 0, 1, 'p-', 1, 'markdown', '47c0ea70360c9e5ec8e87124d79625b5');
INSERT INTO "edition_pages" VALUES ('variable-stars', 6, '/how-to-join', 'How to join', '# How to join

Come on a Thursday at seven, or write to Inés Ortuño.', '<h1 id="how-to-join">How to join</h1>
<p>Come on a Thursday at seven, or write to Inés Ortuño.</p>
', 1, 1, 'p-how-to-join', 1, 'markdown', 'd27ed1738b9941aee598a29cede00ec6');
INSERT INTO "edition_pages" VALUES ('variable-stars', 6, '/privacy', 'Privacy', '# Privacy

Estimates are published with initials only.', '<h1 id="privacy">Privacy</h1>
<p>Estimates are published with initials only.</p>
', 2, 0, 'p-privacy', 1, 'markdown', '0525332a6e623469c7c0679b0f7facb1');
INSERT INTO "edition_pages" VALUES ('variable-stars', 6, '/notes', 'Course notes', '# Course notes

One page a week.', '<h1 id="course-notes">Course notes</h1>
<p>One page a week.</p>
', 3, 1, 'p-notes', 1, 'markdown', '42b9f4253ed85ca91372cd45281cfb26');
INSERT INTO "edition_pages" VALUES ('variable-stars', 6, '/notes/week-1', 'Week 1: Mira', '# Week 1: Mira

A star that goes from plain sight to nothing, and back in eleven months.', '<h1 id="week-1-mira">Week 1: Mira</h1>
<p>A star that goes from plain sight to nothing, and back in eleven months.</p>
', 4, 0, 'p-notes-week-1', 1, 'markdown', '629fd5d69f302c5c957b4e5045889d5a');
INSERT INTO "edition_pages" VALUES ('variable-stars', 6, '/crew/antlia', 'Crew Antlia', '# Crew Antlia

Our light curve of R Leonis, so far.', '<h1 id="crew-antlia">Crew Antlia</h1>
<p>Our light curve of R Leonis, so far.</p>
', 5, 0, 'p-crew-antlia', 1, 'markdown', '574953db3d70fa75ca05f8bf8695f5ad');
INSERT INTO "edition_pages" VALUES ('variable-stars', 6, '/crew/corvus', 'Crew Corvus', '# Crew Corvus

Four nights of beta Persei, and one of clouds.', '<h1 id="crew-corvus">Crew Corvus</h1>
<p>Four nights of beta Persei, and one of clouds.</p>
', 6, 0, 'p-crew-corvus', 1, 'markdown', 'ac1165c03c31876b34dc5f162648fec0');
INSERT INTO "edition_pages" VALUES ('variable-stars', 6, '/crew/lacerta', 'Crew Lacerta', '# Crew Lacerta

We follow delta Cephei with two binoculars and a spreadsheet.', '<h1 id="crew-lacerta">Crew Lacerta</h1>
<p>We follow delta Cephei with two binoculars and a spreadsheet.</p>
', 7, 0, 'p-crew-lacerta', 1, 'markdown', 'c54b9f0b7ed55e284c55402b1278b62e');
INSERT INTO "edition_pages" VALUES ('variable-stars', 6, '/marking', 'Marking', '# Marking

How show night is judged, crew by crew.', '<h1 id="marking">Marking</h1>
<p>How show night is judged, crew by crew.</p>
', 8, 0, 'p-marking', 1, 'markdown', '331febfda17dd1392795751fbf526109');
INSERT INTO "edition_pages" VALUES ('variable-stars', 7, '/', 'Welcome', '# Variable stars on Thursdays

We estimate brightness by eye, compare notes, and argue about half a tenth of a magnitude.', '<h1 id="variable-stars-on-thursdays">Variable stars on Thursdays</h1>
<p>We estimate brightness by eye, compare notes, and argue about half a tenth of a magnitude.</p>
', 0, 1, 'p-', 1, 'markdown', '47c0ea70360c9e5ec8e87124d79625b5');
INSERT INTO "edition_pages" VALUES ('variable-stars', 7, '/how-to-join', 'How to join', '# How to join

Come on a Thursday at seven, or write to Inés Ortuño.', '<h1 id="how-to-join">How to join</h1>
<p>Come on a Thursday at seven, or write to Inés Ortuño.</p>
', 1, 1, 'p-how-to-join', 1, 'markdown', 'd27ed1738b9941aee598a29cede00ec6');
INSERT INTO "edition_pages" VALUES ('variable-stars', 7, '/privacy', 'Privacy', '# Privacy

Estimates are published with initials only.', '<h1 id="privacy">Privacy</h1>
<p>Estimates are published with initials only.</p>
', 2, 0, 'p-privacy', 1, 'markdown', '0525332a6e623469c7c0679b0f7facb1');
INSERT INTO "edition_pages" VALUES ('variable-stars', 7, '/notes', 'Course notes', '# Course notes

One page a week.', '<h1 id="course-notes">Course notes</h1>
<p>One page a week.</p>
', 3, 1, 'p-notes', 1, 'markdown', '42b9f4253ed85ca91372cd45281cfb26');
INSERT INTO "edition_pages" VALUES ('variable-stars', 7, '/notes/week-1', 'Week 1: Mira', '# Week 1: Mira

A star that goes from plain sight to nothing, and back in eleven months.', '<h1 id="week-1-mira">Week 1: Mira</h1>
<p>A star that goes from plain sight to nothing, and back in eleven months.</p>
', 4, 0, 'p-notes-week-1', 1, 'markdown', '629fd5d69f302c5c957b4e5045889d5a');
INSERT INTO "edition_pages" VALUES ('variable-stars', 7, '/notes/week-2', 'Week 2: Algol', '# Week 2: Algol

Two stars that take turns. The minimum lasts ten hours; do not be late.', '<h1 id="week-2-algol">Week 2: Algol</h1>
<p>Two stars that take turns. The minimum lasts ten hours; do not be late.</p>
', 5, 0, 'p-notes-week-2', 1, 'markdown', 'dbcada88f82e272ea2e30b9a5fa0271f');
INSERT INTO "edition_pages" VALUES ('variable-stars', 7, '/crew/antlia', 'Crew Antlia', '# Crew Antlia

Our light curve of R Leonis, so far.', '<h1 id="crew-antlia">Crew Antlia</h1>
<p>Our light curve of R Leonis, so far.</p>
', 6, 0, 'p-crew-antlia', 1, 'markdown', '574953db3d70fa75ca05f8bf8695f5ad');
INSERT INTO "edition_pages" VALUES ('variable-stars', 7, '/crew/corvus', 'Crew Corvus', '# Crew Corvus

Four nights of beta Persei, and one of clouds.', '<h1 id="crew-corvus">Crew Corvus</h1>
<p>Four nights of beta Persei, and one of clouds.</p>
', 7, 0, 'p-crew-corvus', 1, 'markdown', 'ac1165c03c31876b34dc5f162648fec0');
INSERT INTO "edition_pages" VALUES ('variable-stars', 7, '/crew/lacerta', 'Crew Lacerta', '# Crew Lacerta

We follow delta Cephei with two binoculars and a spreadsheet.', '<h1 id="crew-lacerta">Crew Lacerta</h1>
<p>We follow delta Cephei with two binoculars and a spreadsheet.</p>
', 8, 0, 'p-crew-lacerta', 1, 'markdown', 'c54b9f0b7ed55e284c55402b1278b62e');
INSERT INTO "edition_pages" VALUES ('variable-stars', 7, '/marking', 'Marking', '# Marking

How show night is judged, crew by crew.', '<h1 id="marking">Marking</h1>
<p>How show night is judged, crew by crew.</p>
', 9, 0, 'p-marking', 1, 'markdown', '331febfda17dd1392795751fbf526109');
INSERT INTO "edition_pages" VALUES ('new-dome', 2, '/', 'The New Dome', '# The new dome opens

Six metres across, and it turns with one hand.', '<h1 id="the-new-dome-opens">The new dome opens</h1>
<p>Six metres across, and it turns with one hand.</p>
', 0, 1, 'p-', 1, 'markdown', '1dc07b2692a472d0bb8910fcdc670bf0');
INSERT INTO "edition_pages" VALUES ('new-dome', 2, '/building', 'How it was built', '# How it was built

From the first ring of stones to the last panel.', '<h1 id="how-it-was-built">How it was built</h1>
<p>From the first ring of stones to the last panel.</p>
', 1, 1, 'p-building', 1, 'markdown', '6f4874a3fa869de092f685c0e306cbd1');
INSERT INTO "edition_pages" VALUES ('new-dome', 2, '/opening-night', 'Opening night', '# Opening night

6 March, seven in the evening.', '<h1 id="opening-night">Opening night</h1>
<p>6 March, seven in the evening.</p>
', 2, 1, 'p-opening-night', 1, 'markdown', 'ccc561bc5cd96e80bae63028b6e1b260');
INSERT INTO "edition_pages" VALUES ('new-dome', 2, '/people', 'Who built it', '# Who built it

Forty-one people and a donkey.', '<h1 id="who-built-it">Who built it</h1>
<p>Forty-one people and a donkey.</p>
', 3, 0, 'p-people', 1, 'markdown', 'b479b7c027cd56031c776dd9c9f64f18');
INSERT INTO "edition_pages" VALUES ('new-dome', 2, '/instruments', 'Instruments', '# Instruments

What stands under the dome, and what comes next.', '<h1 id="instruments">Instruments</h1>
<p>What stands under the dome, and what comes next.</p>
', 4, 0, 'p-instruments', 1, 'markdown', '91bd5431d70f9beb60865602ff102570');
INSERT INTO "edition_pages" VALUES ('new-dome', 2, '/privacy', 'Privacy', '# Privacy

We count visits, not visitors.', '<h1 id="privacy">Privacy</h1>
<p>We count visits, not visitors.</p>
', 5, 0, 'p-privacy', 1, 'markdown', 'a1a0ea732ca7c20f3f8b873592ca0c9f');
INSERT INTO "edition_pages" VALUES ('instrument-log', 112, '/', 'Log', '# Instrument log

Write down what you touched.

[[table nights: /files/nights.csv]]', '<h1 id="instrument-log">Instrument log</h1>
<p>Write down what you touched.</p>
<p>[[table nights: /files/nights.csv]]</p>
', 0, 1, 'p-', 1, 'markdown', '9787fe8c6ce35c96a335438fc085451d');
INSERT INTO "edition_pages" VALUES ('instrument-log', 112, '/focuser', 'Focuser', '# Focuser

Slips below two degrees.', '<h1 id="focuser">Focuser</h1>
<p>Slips below two degrees.</p>
', 1, 1, 'p-focuser', 1, 'markdown', '9ee641ff118afd8cb44560e7cc1fa231');
INSERT INTO "edition_pages" VALUES ('instrument-log', 112, '/mount', 'Mount', '# Mount

Greased on the first of the month.', '<h1 id="mount">Mount</h1>
<p>Greased on the first of the month.</p>
', 2, 1, 'p-mount', 1, 'markdown', 'cdfbc5e896263812c0a909c748df1103');
INSERT INTO "edition_pages" VALUES ('instrument-log', 112, '/camera', 'Camera', '# Camera

Darks are taken on the last clear night of the month.', '<h1 id="camera">Camera</h1>
<p>Darks are taken on the last clear night of the month.</p>
', 3, 1, 'p-camera', 1, 'markdown', 'e4e6abbdde2cd09c4fc9a46c3b1c1d77');
INSERT INTO "edition_pages" VALUES ('instrument-log', 112, '/dome', 'Dome', '# Dome

The shutter sticks when it is wet.', '<h1 id="dome">Dome</h1>
<p>The shutter sticks when it is wet.</p>
', 4, 0, 'p-dome', 1, 'markdown', 'b01d5d9a3df70fbf6ca5221ca6bc619e');
INSERT INTO "edition_pages" VALUES ('instrument-log', 112, '/weather', 'Weather station', '# Weather station

The anemometer squeaks, and measures all the same.', '<h1 id="weather-station">Weather station</h1>
<p>The anemometer squeaks, and measures all the same.</p>
', 5, 0, 'p-weather', 1, 'markdown', '056312a46d8f674d5e6b3ec12aaa9077');
INSERT INTO "edition_pages" VALUES ('instrument-log', 112, '/spares', 'Spares', '# Spares

What lies in which drawer.', '<h1 id="spares">Spares</h1>
<p>What lies in which drawer.</p>
', 6, 0, 'p-spares', 1, 'markdown', '0d13b5048872570a664957069a36eb8c');
INSERT INTO "edition_pages" VALUES ('instrument-log', 112, '/calibration', 'Calibration', '# Calibration

Flat fields, twilight or lamp.', '<h1 id="calibration">Calibration</h1>
<p>Flat fields, twilight or lamp.</p>
', 7, 0, 'p-calibration', 1, 'markdown', 'dd0e54314c83c3d70f05e349d92ad18a');
INSERT INTO "edition_pages" VALUES ('instrument-log', 112, '/privacy', 'Privacy', '# Privacy

Names of observers stay in the crew.', '<h1 id="privacy">Privacy</h1>
<p>Names of observers stay in the crew.</p>
', 8, 0, 'p-privacy', 1, 'markdown', '083a3310e3895b86de2b5da3464586d2');
INSERT INTO "edition_pages" VALUES ('dossier', 4, '/', 'The dossier', '# Founders fund

What we ask for, and what it would make possible.', '<h1 id="founders-fund">Founders fund</h1>
<p>What we ask for, and what it would make possible.</p>
', 0, 1, 'p-', 1, 'markdown', '473bb673ecb4fe5c5f6da7f7947959b1');
INSERT INTO "edition_pages" VALUES ('dossier', 4, '/budget', 'Budget', '# Budget

| What | Amount |
|---|---|
| Mirror coating | 4 200 |
| Heating for the library | 2 900 |', '<h1 id="budget">Budget</h1>
<table>
<thead>
<tr>
<th>What</th>
<th>Amount</th>
</tr>
</thead>
<tbody>
<tr>
<td>Mirror coating</td>
<td>4 200</td>
</tr>
<tr>
<td>Heating for the library</td>
<td>2 900</td>
</tr>
</tbody>
</table>
', 1, 1, 'p-budget', 1, 'markdown', '691c772128a80d19a24fd386f9ae3c61');
INSERT INTO "edition_pages" VALUES ('dossier', 4, '/schedule', 'Schedule', '# Schedule

From signature to first light.', '<h1 id="schedule">Schedule</h1>
<p>From signature to first light.</p>
', 2, 1, 'p-schedule', 1, 'markdown', '85d6bdb8a9d5505f5d4b472b256bd371');
INSERT INTO "edition_pages" VALUES ('dossier', 4, '/letters', 'Letters of support', '# Letters of support

From three schools and a town hall.', '<h1 id="letters-of-support">Letters of support</h1>
<p>From three schools and a town hall.</p>
', 3, 0, 'p-letters', 1, 'markdown', '565940ca5289e62d3600974e86a03d9d');
INSERT INTO "edition_pages" VALUES ('variable-stars', 8, '/', 'Welcome', '# Variable stars on Thursdays

We estimate brightness by eye, compare notes, and argue about half a tenth of a magnitude.', '<h1 id="variable-stars-on-thursdays">Variable stars on Thursdays</h1>
<p>We estimate brightness by eye, compare notes, and argue about half a tenth of a magnitude.</p>
', 0, 1, 'p-', 1, 'markdown', '47c0ea70360c9e5ec8e87124d79625b5');
INSERT INTO "edition_pages" VALUES ('variable-stars', 8, '/how-to-join', 'How to join', '# How to join

Come on a Thursday at seven, or write to Inés Ortuño.', '<h1 id="how-to-join">How to join</h1>
<p>Come on a Thursday at seven, or write to Inés Ortuño.</p>
', 1, 1, 'p-how-to-join', 1, 'markdown', 'd27ed1738b9941aee598a29cede00ec6');
INSERT INTO "edition_pages" VALUES ('variable-stars', 8, '/privacy', 'Privacy', '# Privacy

Estimates are published with initials only.', '<h1 id="privacy">Privacy</h1>
<p>Estimates are published with initials only.</p>
', 2, 0, 'p-privacy', 1, 'markdown', '0525332a6e623469c7c0679b0f7facb1');
INSERT INTO "edition_pages" VALUES ('variable-stars', 8, '/notes', 'Course notes', '# Course notes

One page a week.', '<h1 id="course-notes">Course notes</h1>
<p>One page a week.</p>
', 3, 1, 'p-notes', 1, 'markdown', '42b9f4253ed85ca91372cd45281cfb26');
INSERT INTO "edition_pages" VALUES ('variable-stars', 8, '/notes/week-1', 'Week 1: Mira', '# Week 1: Mira

A star that goes from plain sight to nothing, and back in eleven months.', '<h1 id="week-1-mira">Week 1: Mira</h1>
<p>A star that goes from plain sight to nothing, and back in eleven months.</p>
', 4, 0, 'p-notes-week-1', 1, 'markdown', '629fd5d69f302c5c957b4e5045889d5a');
INSERT INTO "edition_pages" VALUES ('variable-stars', 8, '/notes/week-2', 'Week 2: Algol', '# Week 2: Algol

Two stars that take turns. The minimum lasts ten hours; do not be late.

Bring a watch that shows seconds.', '<h1 id="week-2-algol">Week 2: Algol</h1>
<p>Two stars that take turns. The minimum lasts ten hours; do not be late.</p>
<p>Bring a watch that shows seconds.</p>
', 5, 0, 'p-notes-week-2', 1, 'markdown', '1d7e56b8b558506364e9f2d92887c2ee');
INSERT INTO "edition_pages" VALUES ('variable-stars', 8, '/crew/antlia', 'Crew Antlia', '# Crew Antlia

Our light curve of R Leonis, so far.', '<h1 id="crew-antlia">Crew Antlia</h1>
<p>Our light curve of R Leonis, so far.</p>
', 6, 0, 'p-crew-antlia', 1, 'markdown', '574953db3d70fa75ca05f8bf8695f5ad');
INSERT INTO "edition_pages" VALUES ('variable-stars', 8, '/crew/corvus', 'Crew Corvus', '# Crew Corvus

Four nights of beta Persei, and one of clouds. Two more nights since.', '<h1 id="crew-corvus">Crew Corvus</h1>
<p>Four nights of beta Persei, and one of clouds. Two more nights since.</p>
', 7, 0, 'p-crew-corvus', 1, 'markdown', 'fc94b54be159345bd6008ec2f0fd9055');
INSERT INTO "edition_pages" VALUES ('variable-stars', 8, '/crew/lacerta', 'Crew Lacerta', '# Crew Lacerta

We follow delta Cephei with two binoculars and a spreadsheet.', '<h1 id="crew-lacerta">Crew Lacerta</h1>
<p>We follow delta Cephei with two binoculars and a spreadsheet.</p>
', 8, 0, 'p-crew-lacerta', 1, 'markdown', 'c54b9f0b7ed55e284c55402b1278b62e');
INSERT INTO "edition_pages" VALUES ('variable-stars', 8, '/marking', 'Marking', '# Marking

How show night is judged, crew by crew.', '<h1 id="marking">Marking</h1>
<p>How show night is judged, crew by crew.</p>
', 9, 0, 'p-marking', 1, 'markdown', '331febfda17dd1392795751fbf526109');
INSERT INTO "edition_pages" VALUES ('variable-stars', 8, '/notes/week-3', 'Week 3: Delta Cephei', '# Week 3: Delta Cephei

Five days and nine hours, like a clock.', '<h1 id="week-3-delta-cephei">Week 3: Delta Cephei</h1>
<p>Five days and nine hours, like a clock.</p>
', 10, 0, 'p-notes-week-3', 1, 'markdown', '20cc175589cfd4703a4d2cdde9d0be15');
CREATE TABLE edition_files (
  site   TEXT NOT NULL,
  number INTEGER NOT NULL,
  path   TEXT NOT NULL,
  type   TEXT NOT NULL,
  blob TEXT NOT NULL DEFAULT '', size INTEGER NOT NULL DEFAULT 0,
  PRIMARY KEY (site, number, path),
  FOREIGN KEY (site, number) REFERENCES editions ON DELETE CASCADE ON UPDATE CASCADE
);
INSERT INTO "edition_files" VALUES ('observatory', 29, '/hill.svg', 'image/svg+xml', '75e7c52ed57b0935ac5c038021fa49490b416c6840eff779fa74eef1c839ddd0', 657);
INSERT INTO "edition_files" VALUES ('observatory', 30, '/hill.svg', 'image/svg+xml', '75e7c52ed57b0935ac5c038021fa49490b416c6840eff779fa74eef1c839ddd0', 657);
INSERT INTO "edition_files" VALUES ('observatory', 31, '/hill.svg', 'image/svg+xml', '75e7c52ed57b0935ac5c038021fa49490b416c6840eff779fa74eef1c839ddd0', 657);
INSERT INTO "edition_files" VALUES ('instrument-log', 112, '/files/nights.csv', 'application/x-velada-records', 'f1087b434245222bd4b8c566fcb65c700c07b9a2f12499d1fd915d5d8e0cfefb', 4343);
CREATE TABLE rehearsals (
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  who     TEXT NOT NULL, -- the address of the one whose tray it is
  base    TEXT NOT NULL, -- the site as it was when the rehearsal began
  draft   TEXT NOT NULL, -- the site as it would be
  secrets TEXT NOT NULL, due INTEGER, trouble TEXT NOT NULL DEFAULT '', -- JSON: new passes by id
  PRIMARY KEY (site, who)
);
INSERT INTO "rehearsals" VALUES ('observatory', 'pilar@cerroalcor.example', '{
 "address": "society",
 "title": "Cerro Alcor Society",
 "state": "live",
 "listing": true,
 "sign_up": {
  "mode": "approval"
 },
 "pages": [
  {
   "path": "/"
  },
  {
   "path": "/open-nights"
  },
  {
   "path": "/visit"
  },
  {
   "path": "/courses"
  },
  {
   "path": "/telescope"
  },
  {
   "path": "/library"
  },
  {
   "path": "/history"
  },
  {
   "path": "/members"
  },
  {
   "path": "/members/minutes"
  },
  {
   "path": "/members/rota"
  },
  {
   "path": "/members/keys"
  },
  {
   "path": "/privacy"
  }
 ],
 "door": {
  "ways": [
   {
    "way": "anyone"
   }
  ]
 },
 "doors": [
  {
   "path": "/members",
   "ways": [
    {
     "way": "members"
    }
   ]
  },
  {
   "path": "/privacy",
   "mode": "instead",
   "ways": [
    {
     "way": "anyone"
    }
   ]
  }
 ],
 "team": [
  {
   "person": "ines",
   "role": "owner"
  },
  {
   "person": "pilar",
   "role": "admin"
  },
  {
   "person": "jonas",
   "role": "editor"
  },
  {
   "person": "seun",
   "role": "usher"
  },
  {
   "address": "helper@outside.example",
   "role": "editor",
   "accepted": false
  },
  {
   "address": "roth@lens.example",
   "role": "editor",
   "under": "/open-nights"
  }
 ]
}
', '{
 "address": "society",
 "title": "Cerro Alcor Society",
 "state": "live",
 "listing": true,
 "sign_up": {
  "mode": "approval"
 },
 "pages": [
  {
   "path": "/"
  },
  {
   "path": "/open-nights"
  },
  {
   "path": "/visit"
  },
  {
   "path": "/courses"
  },
  {
   "path": "/telescope"
  },
  {
   "path": "/library"
  },
  {
   "path": "/history"
  },
  {
   "path": "/members"
  },
  {
   "path": "/members/minutes"
  },
  {
   "path": "/members/rota"
  },
  {
   "path": "/members/keys"
  },
  {
   "path": "/privacy"
  }
 ],
 "door": {
  "ways": [
   {
    "way": "anyone"
   }
  ]
 },
 "doors": [
  {
   "path": "/members",
   "ways": [
    {
     "way": "members"
    }
   ]
  },
  {
   "path": "/privacy",
   "mode": "instead",
   "ways": [
    {
     "way": "anyone"
    }
   ]
  },
  {
   "path": "/visit",
   "ways": [
    {
     "way": "signed-in"
    }
   ]
  }
 ],
 "team": [
  {
   "person": "ines",
   "role": "owner"
  },
  {
   "person": "pilar",
   "role": "admin"
  },
  {
   "person": "jonas",
   "role": "editor"
  },
  {
   "person": "seun",
   "role": "usher"
  },
  {
   "address": "helper@outside.example",
   "role": "editor",
   "accepted": false
  },
  {
   "address": "roth@lens.example",
   "role": "editor",
   "under": "/open-nights"
  }
 ]
}
', '{}', 1795543200, '');
CREATE TABLE ledger (
  number  INTEGER PRIMARY KEY,
  at      TEXT NOT NULL, -- RFC 3339
  who     TEXT NOT NULL, -- an address, or velada
  site    TEXT NOT NULL, -- '' for the house
  kind    TEXT NOT NULL,
  what    TEXT NOT NULL, -- one sentence
  before  TEXT NOT NULL,
  after   TEXT NOT NULL,
  earlier TEXT NOT NULL, -- the hash of the entry before
  hash    TEXT NOT NULL
);
INSERT INTO "ledger" VALUES (1, '2026-11-24T17:00:00Z', 'ines@cerroalcor.example', 'society', 'invitation', 'helper@outside.example was invited to the team as editor.', '', '', '', '10d9281d190e473824763afb82d91aacab24489f5c4beff15f124a34d04c4baa');
INSERT INTO "ledger" VALUES (2, '2026-11-24T17:00:00Z', 'ines@cerroalcor.example', 'society', 'invitation', 'roth@lens.example was invited to the team as editor.', '', '', '10d9281d190e473824763afb82d91aacab24489f5c4beff15f124a34d04c4baa', '2a1443303d2dcba0a093dcd9fa15e145c8d581535016b30564bfc57f9169f2f0');
INSERT INTO "ledger" VALUES (3, '2026-11-24T17:00:00Z', 'roth@lens.example', 'society', 'invitation', 'roth@lens.example accepted to be editor, for /open-nights and below.', '', '', '2a1443303d2dcba0a093dcd9fa15e145c8d581535016b30564bfc57f9169f2f0', 'f987a738e2063894ac298f864ff568bb53e506dcbaf5950b0225996751e85797');
INSERT INTO "ledger" VALUES (4, '2026-11-24T17:00:00Z', 'ines@cerroalcor.example', '', 'people', 'A join code for Crew Antlia, until 24 Dec 2026 18:00, for 10.', '', '', 'f987a738e2063894ac298f864ff568bb53e506dcbaf5950b0225996751e85797', '0e7810f3f34814986d73862dc7e79721629ada18b5081e980833608d9492074b');
INSERT INTO "ledger" VALUES (5, '2026-11-24T17:00:00Z', 'ines@cerroalcor.example', 'society', 'door', 'The site''s door: ““Press”” is let in, no end. A new link “Press”, no end.', '{
 "address": "society",
 "title": "Cerro Alcor Society",
 "state": "live",
 "listing": true,
 "sign_up": {
  "mode": "approval"
 },
 "pages": [
  {
   "path": "/"
  },
  {
   "path": "/open-nights"
  },
  {
   "path": "/visit"
  },
  {
   "path": "/courses"
  },
  {
   "path": "/telescope"
  },
  {
   "path": "/library"
  },
  {
   "path": "/history"
  },
  {
   "path": "/members"
  },
  {
   "path": "/members/minutes"
  },
  {
   "path": "/members/rota"
  },
  {
   "path": "/members/keys"
  },
  {
   "path": "/privacy"
  }
 ],
 "door": {
  "ways": [
   {
    "way": "anyone"
   }
  ]
 },
 "doors": [
  {
   "path": "/members",
   "ways": [
    {
     "way": "members"
    }
   ]
  },
  {
   "path": "/privacy",
   "mode": "instead",
   "ways": [
    {
     "way": "anyone"
    }
   ]
  }
 ],
 "team": [
  {
   "person": "ines",
   "role": "owner"
  },
  {
   "person": "pilar",
   "role": "admin"
  },
  {
   "person": "jonas",
   "role": "editor"
  },
  {
   "person": "seun",
   "role": "usher"
  },
  {
   "address": "helper@outside.example",
   "role": "editor",
   "accepted": false
  },
  {
   "address": "roth@lens.example",
   "role": "editor",
   "under": "/open-nights"
  }
 ]
}
', '{
 "address": "society",
 "title": "Cerro Alcor Society",
 "state": "live",
 "listing": true,
 "sign_up": {
  "mode": "approval"
 },
 "pages": [
  {
   "path": "/"
  },
  {
   "path": "/open-nights"
  },
  {
   "path": "/visit"
  },
  {
   "path": "/courses"
  },
  {
   "path": "/telescope"
  },
  {
   "path": "/library"
  },
  {
   "path": "/history"
  },
  {
   "path": "/members"
  },
  {
   "path": "/members/minutes"
  },
  {
   "path": "/members/rota"
  },
  {
   "path": "/members/keys"
  },
  {
   "path": "/privacy"
  }
 ],
 "door": {
  "ways": [
   {
    "way": "anyone"
   },
   {
    "way": "link",
    "links": [
     "press"
    ]
   }
  ]
 },
 "doors": [
  {
   "path": "/members",
   "ways": [
    {
     "way": "members"
    }
   ]
  },
  {
   "path": "/privacy",
   "mode": "instead",
   "ways": [
    {
     "way": "anyone"
    }
   ]
  }
 ],
 "links": [
  {
   "id": "press",
   "label": "Press"
  }
 ],
 "team": [
  {
   "person": "ines",
   "role": "owner"
  },
  {
   "person": "pilar",
   "role": "admin"
  },
  {
   "person": "jonas",
   "role": "editor"
  },
  {
   "person": "seun",
   "role": "usher"
  },
  {
   "address": "helper@outside.example",
   "role": "editor",
   "accepted": false
  },
  {
   "address": "roth@lens.example",
   "role": "editor",
   "under": "/open-nights"
  }
 ]
}
', '0e7810f3f34814986d73862dc7e79721629ada18b5081e980833608d9492074b', '7c3d6ecd71fdd4d0fae5007741ae50e614ce7736c48dd1ae132b747cfd357326');
INSERT INTO "ledger" VALUES (6, '2026-11-24T17:00:00Z', 'aiko@cerroalcor.example', 'variable-stars', 'edition', 'Edition 8 is to go live on 26 Nov 2026 18:00.', '', '', '7c3d6ecd71fdd4d0fae5007741ae50e614ce7736c48dd1ae132b747cfd357326', '2e217eec26cbea7123bd3da45d7686ba93f89fa172e42761981596c3e02d426e');
INSERT INTO "ledger" VALUES (7, '2026-11-24T17:00:00Z', 'ines@cerroalcor.example', 'society', 'listing', 'The short name /go/nights leads to /open-nights.', '', '', '2e217eec26cbea7123bd3da45d7686ba93f89fa172e42761981596c3e02d426e', '6f40cdf3ae15ee7b55109ec28940fdf1c58fa752b08b4496d88337181db016d6');
INSERT INTO "ledger" VALUES (8, '2026-11-24T17:00:00Z', 'ines@cerroalcor.example', 'observatory', 'address', 'The site moved from society to observatory. The old address leads on.', 'society', 'observatory', '6f40cdf3ae15ee7b55109ec28940fdf1c58fa752b08b4496d88337181db016d6', '95b4e9922a766ecd4e1ecf2b35bae18bf4bd116764b0301de0cce270b6dba19e');
INSERT INTO "ledger" VALUES (9, '2026-11-24T17:00:00Z', 'bram@cerroalcor.example', 'new-dome', 'holding', 'What the holding page says was changed.', '', '', '95b4e9922a766ecd4e1ecf2b35bae18bf4bd116764b0301de0cce270b6dba19e', '27ac6fa87721a5496d34ec3d63138d4dd4348d2f79b1d873c4fde8ef9594c5e4');
CREATE TABLE link_uses (
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  link    TEXT NOT NULL,
  version INTEGER NOT NULL DEFAULT 1,
  uses    INTEGER NOT NULL DEFAULT 0,
  used_at INTEGER, -- unix seconds
  PRIMARY KEY (site, link)
);
CREATE TABLE holding_pages (
  site         TEXT PRIMARY KEY REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  design       TEXT NOT NULL,
  heading      TEXT NOT NULL,
  words        TEXT NOT NULL,
  contact      TEXT NOT NULL,
  countdown    INTEGER NOT NULL,
  html         TEXT NOT NULL, -- design own: a whole page of their own
  picture      BLOB,
  picture_type TEXT NOT NULL
);
INSERT INTO "holding_pages" VALUES ('new-dome', 'night', 'Soon', '', '', 1, '', NULL, '');
CREATE TABLE page_saves (
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  page    TEXT NOT NULL,
  version INTEGER NOT NULL,
  at      INTEGER NOT NULL, -- unix seconds
  who     TEXT NOT NULL,
  title   TEXT NOT NULL,
  body    TEXT NOT NULL,
  PRIMARY KEY (site, page, version)
);
CREATE TABLE blobs (key TEXT PRIMARY KEY, data BLOB NOT NULL);
INSERT INTO "blobs" VALUES ('75e7c52ed57b0935ac5c038021fa49490b416c6840eff779fa74eef1c839ddd0', X'3C73766720786D6C6E733D22687474703A2F2F7777772E77332E6F72672F323030302F737667222076696577426F783D2230203020363430203238302220726F6C653D22696D672220617269612D6C6162656C3D22412068696C6C206174206475736B2077697468206120736D616C6C20646F6D65223E3C706174682066696C6C3D22233333343735622220643D224D302030683634307632383048307A222F3E3C706174682066696C6C3D22233561366638322220643D224D3020313530633132302D333020323430203230203336302030733230302D3430203238302D31307631343048307A222F3E3C706174682066696C6C3D22233134323032622220643D224D3020323330633135302D3630203236302D3730203338302D33307331383020323020323630203076383048307A222F3E3C706174682066696C6C3D22236539656465632220643D224D333030203138326132362032362030203020312035322030763134682D35327A222F3E3C70617468207374726F6B653D222331343230326222207374726F6B652D77696474683D22332220643D224D33323620313536763430222F3E3C672066696C6C3D2223653965646563223E3C636972636C652063783D223730222063793D2234382220723D22312E36222F3E3C636972636C652063783D22313530222063793D2238342220723D22312E31222F3E3C636972636C652063783D22323336222063793D2234302220723D22312E38222F3E3C636972636C652063783D22343138222063793D2236322220723D22312E33222F3E3C636972636C652063783D22353036222063793D2233342220723D22312E39222F3E3C636972636C652063783D22353830222063793D2239322220723D22312E32222F3E3C2F673E3C2F7376673E0A');
INSERT INTO "blobs" VALUES ('f1087b434245222bd4b8c566fcb65c700c07b9a2f12499d1fd915d5d8e0cfefb', X'4E696768742C537461722C4D61676E69747564652C4F627365727665722C536B790A323032362D30372D30312C44656C7461204365706865692C382E362C53616C6D612C636C6561720A323032362D30372D30322C4D6972612C372E372C4D6174656F2C6D6F6F6E0A323032362D30372D30332C436869204379676E692C322E342C41696B6F2C636C6561720A323032362D30372D30342C4D6972612C352E302C4D6174656F2C7468696E20636C6F75640A323032362D30372D30352C4D6972612C352E392C4D6174656F2C636C6561720A323032362D30372D30362C416C676F6C2C362E342C4D6174656F2C68617A650A323032362D30372D30372C4D6972612C382E382C4D6174656F2C7468696E20636C6F75640A323032362D30372D30382C44656C7461204365706865692C342E392C4D6174656F2C6D6F6F6E0A323032362D30372D30392C436869204379676E692C372E372C41696B6F2C636C6561720A323032362D30372D31302C436869204379676E692C362E302C41696B6F2C6D6F6F6E0A323032362D30372D31312C4D6972612C352E382C4D6174656F2C636C6561720A323032362D30372D31322C436869204379676E692C332E342C53616C6D612C6D6F6F6E0A323032362D30372D31332C52204C656F6E69732C362E312C53616C6D612C6D6F6F6E0A323032362D30372D31342C44656C7461204365706865692C332E372C41696B6F2C7468696E20636C6F75640A323032362D30372D31352C4D6972612C362E302C53616C6D612C6D6F6F6E0A323032362D30372D31362C42657461204C797261652C352E312C4D6174656F2C636C6561720A323032362D30372D31372C436869204379676E692C342E392C4272616D2C7468696E20636C6F75640A323032362D30372D31382C52204C656F6E69732C352E302C4D6174656F2C6D6F6F6E0A323032362D30372D31392C44656C7461204365706865692C362E392C53616C6D612C68617A650A323032362D30372D32302C4D6972612C372E392C4272616D2C68617A650A323032362D30372D32312C42657461204C797261652C362E362C4D6174656F2C6D6F6F6E0A323032362D30372D32322C42657461204C797261652C362E302C53616C6D612C6D6F6F6E0A323032362D30372D32332C42657461204C797261652C342E372C4272616D2C636C6561720A323032362D30372D32342C52204C656F6E69732C342E352C4D6174656F2C68617A650A323032362D30372D32352C4D6972612C332E352C4272616D2C7468696E20636C6F75640A323032362D30372D32362C42657461204C797261652C332E372C53616C6D612C68617A650A323032362D30372D32372C4D6972612C332E322C53616C6D612C6D6F6F6E0A323032362D30372D32382C416C676F6C2C372E372C4272616D2C68617A650A323032362D30372D32392C44656C7461204365706865692C362E382C53616C6D612C7468696E20636C6F75640A323032362D30372D33302C416C676F6C2C322E362C41696B6F2C7468696E20636C6F75640A323032362D30382D30312C42657461204C797261652C332E362C53616C6D612C7468696E20636C6F75640A323032362D30382D30322C44656C7461204365706865692C342E302C41696B6F2C68617A650A323032362D30382D30332C436869204379676E692C342E362C4272616D2C7468696E20636C6F75640A323032362D30382D30342C42657461204C797261652C382E302C4D6174656F2C68617A650A323032362D30382D30352C42657461204C797261652C372E362C53616C6D612C68617A650A323032362D30382D30362C52204C656F6E69732C342E382C53616C6D612C68617A650A323032362D30382D30372C4D6972612C332E332C41696B6F2C68617A650A323032362D30382D30382C416C676F6C2C322E382C4D6174656F2C636C6561720A323032362D30382D30392C4D6972612C362E302C4D6174656F2C6D6F6F6E0A323032362D30382D31302C436869204379676E692C322E322C41696B6F2C68617A650A323032362D30382D31312C416C676F6C2C362E342C4272616D2C6D6F6F6E0A323032362D30382D31322C52204C656F6E69732C322E392C53616C6D612C68617A650A323032362D30382D31332C52204C656F6E69732C352E342C4D6174656F2C7468696E20636C6F75640A323032362D30382D31342C4D6972612C372E322C4272616D2C68617A650A323032362D30382D31352C42657461204C797261652C332E312C4D6174656F2C7468696E20636C6F75640A323032362D30382D31362C436869204379676E692C342E352C4D6174656F2C6D6F6F6E0A323032362D30382D31372C42657461204C797261652C382E302C4272616D2C6D6F6F6E0A323032362D30382D31382C416C676F6C2C342E352C41696B6F2C6D6F6F6E0A323032362D30382D31392C42657461204C797261652C332E362C41696B6F2C7468696E20636C6F75640A323032362D30382D32302C52204C656F6E69732C372E322C41696B6F2C7468696E20636C6F75640A323032362D30382D32312C436869204379676E692C352E342C4D6174656F2C636C6561720A323032362D30382D32322C44656C7461204365706865692C352E332C41696B6F2C6D6F6F6E0A323032362D30382D32332C52204C656F6E69732C372E372C4272616D2C6D6F6F6E0A323032362D30382D32342C4D6972612C332E352C41696B6F2C68617A650A323032362D30382D32352C416C676F6C2C342E342C53616C6D612C636C6561720A323032362D30382D32362C52204C656F6E69732C382E342C4272616D2C636C6561720A323032362D30382D32372C42657461204C797261652C322E382C53616C6D612C7468696E20636C6F75640A323032362D30382D32382C52204C656F6E69732C382E322C53616C6D612C6D6F6F6E0A323032362D30382D32392C4D6972612C372E362C53616C6D612C68617A650A323032362D30382D33302C52204C656F6E69732C372E322C4D6174656F2C7468696E20636C6F75640A323032362D30392D30312C416C676F6C2C392E302C4D6174656F2C7468696E20636C6F75640A323032362D30392D30322C436869204379676E692C382E332C41696B6F2C68617A650A323032362D30392D30332C42657461204C797261652C382E362C41696B6F2C7468696E20636C6F75640A323032362D30392D30342C4D6972612C322E312C4D6174656F2C7468696E20636C6F75640A323032362D30392D30352C52204C656F6E69732C382E392C41696B6F2C7468696E20636C6F75640A323032362D30392D30362C4D6972612C332E382C4272616D2C7468696E20636C6F75640A323032362D30392D30372C436869204379676E692C342E332C53616C6D612C7468696E20636C6F75640A323032362D30392D30382C4D6972612C382E342C4272616D2C68617A650A323032362D30392D30392C42657461204C797261652C362E312C53616C6D612C7468696E20636C6F75640A323032362D30392D31302C436869204379676E692C332E312C4D6174656F2C68617A650A323032362D30392D31312C416C676F6C2C362E332C41696B6F2C7468696E20636C6F75640A323032362D30392D31322C416C676F6C2C352E332C4D6174656F2C636C6561720A323032362D30392D31332C44656C7461204365706865692C362E382C53616C6D612C636C6561720A323032362D30392D31342C436869204379676E692C322E342C41696B6F2C6D6F6F6E0A323032362D30392D31352C4D6972612C372E342C53616C6D612C636C6561720A323032362D30392D31362C4D6972612C352E312C41696B6F2C6D6F6F6E0A323032362D30392D31372C52204C656F6E69732C352E362C53616C6D612C7468696E20636C6F75640A323032362D30392D31382C42657461204C797261652C352E372C4272616D2C7468696E20636C6F75640A323032362D30392D31392C52204C656F6E69732C332E302C4D6174656F2C68617A650A323032362D30392D32302C52204C656F6E69732C342E322C41696B6F2C68617A650A323032362D30392D32312C4D6972612C332E352C4272616D2C636C6561720A323032362D30392D32322C416C676F6C2C382E362C4272616D2C7468696E20636C6F75640A323032362D30392D32332C44656C7461204365706865692C382E322C53616C6D612C7468696E20636C6F75640A323032362D30392D32342C42657461204C797261652C382E372C53616C6D612C68617A650A323032362D30392D32352C416C676F6C2C382E392C41696B6F2C7468696E20636C6F75640A323032362D30392D32362C42657461204C797261652C352E302C53616C6D612C6D6F6F6E0A323032362D30392D32372C52204C656F6E69732C332E342C4272616D2C636C6561720A323032362D30392D32382C42657461204C797261652C342E362C4272616D2C68617A650A323032362D30392D32392C52204C656F6E69732C362E392C53616C6D612C6D6F6F6E0A323032362D30392D33302C436869204379676E692C362E342C4D6174656F2C636C6561720A323032362D31302D30312C416C676F6C2C382E382C4D6174656F2C636C6561720A323032362D31302D30322C44656C7461204365706865692C332E392C41696B6F2C6D6F6F6E0A323032362D31302D30332C416C676F6C2C372E372C4272616D2C68617A650A323032362D31302D30342C416C676F6C2C352E382C53616C6D612C6D6F6F6E0A323032362D31302D30352C4D6972612C342E302C41696B6F2C68617A650A323032362D31302D30362C4D6972612C332E392C4D6174656F2C636C6561720A323032362D31302D30372C44656C7461204365706865692C322E362C41696B6F2C636C6561720A323032362D31302D30382C44656C7461204365706865692C382E302C53616C6D612C636C6561720A323032362D31302D30392C44656C7461204365706865692C392E302C53616C6D612C6D6F6F6E0A323032362D31302D31302C436869204379676E692C322E392C41696B6F2C636C6561720A323032362D31302D31312C416C676F6C2C332E382C41696B6F2C7468696E20636C6F75640A323032362D31302D31322C44656C7461204365706865692C362E342C41696B6F2C6D6F6F6E0A323032362D31302D31332C52204C656F6E69732C352E352C41696B6F2C6D6F6F6E0A323032362D31302D31342C44656C7461204365706865692C372E362C4272616D2C636C6561720A323032362D31302D31352C4D6972612C322E312C41696B6F2C68617A650A323032362D31302D31362C416C676F6C2C382E352C4D6174656F2C68617A650A323032362D31302D31372C42657461204C797261652C352E352C53616C6D612C6D6F6F6E0A323032362D31302D31382C42657461204C797261652C332E352C41696B6F2C6D6F6F6E0A323032362D31302D31392C416C676F6C2C372E382C41696B6F2C68617A650A323032362D31302D32302C44656C7461204365706865692C382E392C41696B6F2C636C6561720A323032362D31302D32312C4D6972612C362E342C4272616D2C68617A650A323032362D31302D32322C416C676F6C2C322E342C53616C6D612C6D6F6F6E0A323032362D31302D32332C436869204379676E692C332E372C4272616D2C636C6561720A323032362D31302D32342C52204C656F6E69732C332E332C4272616D2C68617A650A323032362D31302D32352C4D6972612C332E382C4272616D2C6D6F6F6E0A323032362D31302D32362C416C676F6C2C322E322C4272616D2C7468696E20636C6F75640A323032362D31302D32372C44656C7461204365706865692C332E332C4272616D2C68617A650A323032362D31302D32382C4D6972612C352E332C41696B6F2C7468696E20636C6F75640A323032362D31302D32392C436869204379676E692C372E342C4D6174656F2C6D6F6F6E0A323032362D31302D33302C4D6972612C332E302C4D6174656F2C68617A650A');
CREATE TABLE files (
  site TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  path TEXT NOT NULL,
  type TEXT NOT NULL,
  size INTEGER NOT NULL,
  blob TEXT NOT NULL REFERENCES blobs,
  PRIMARY KEY (site, path)
);
INSERT INTO "files" VALUES ('observatory', '/hill.svg', 'image/svg+xml', 657, '75e7c52ed57b0935ac5c038021fa49490b416c6840eff779fa74eef1c839ddd0');
INSERT INTO "files" VALUES ('instrument-log', '/files/nights.csv', 'text/csv', 4343, 'f1087b434245222bd4b8c566fcb65c700c07b9a2f12499d1fd915d5d8e0cfefb');
CREATE TABLE due_editions (
  site   TEXT PRIMARY KEY REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  number INTEGER NOT NULL,
  due    INTEGER NOT NULL, -- unix seconds
  who    TEXT NOT NULL
);
INSERT INTO "due_editions" VALUES ('variable-stars', 8, 1795712400, 'aiko@cerroalcor.example');
CREATE TABLE publish_requests (
  site TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  who  TEXT NOT NULL,
  note TEXT NOT NULL,
  at   INTEGER NOT NULL, -- unix seconds
  PRIMARY KEY (site, who)
);
INSERT INTO "publish_requests" VALUES ('variable-stars', 'mateo@cerroalcor.example', 'Please', 1795539600);
CREATE TABLE previews (
  id    TEXT PRIMARY KEY,
  site  TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  label TEXT NOT NULL,
  until INTEGER NOT NULL, -- unix seconds
  who   TEXT NOT NULL
);
INSERT INTO "previews" VALUES ('9zZjxcFO5FDQsGVG', 'variable-stars', 'A friend', 1796317200, 'aiko@cerroalcor.example');
CREATE TABLE old_addresses (
  address TEXT PRIMARY KEY,
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  since   INTEGER NOT NULL -- unix seconds
);
INSERT INTO "old_addresses" VALUES ('society', 'observatory', 1795539600);
CREATE TABLE moved_pages (
  site TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  path TEXT NOT NULL,
  page TEXT NOT NULL,
  PRIMARY KEY (site, path)
);
CREATE TABLE short_names (
  site TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  name TEXT NOT NULL,
  path TEXT NOT NULL,
  PRIMARY KEY (site, name)
);
INSERT INTO "short_names" VALUES ('observatory', 'nights', '/open-nights');
CREATE TABLE site_details (
  site    TEXT PRIMARY KEY REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  details TEXT NOT NULL -- JSON
);
CREATE TABLE mails (
  id      INTEGER PRIMARY KEY,
  at      INTEGER NOT NULL, -- unix seconds
  address TEXT NOT NULL,    -- to whom
  site    TEXT NOT NULL,    -- '' for the house
  kind    TEXT NOT NULL,
  subject TEXT NOT NULL,
  text    TEXT NOT NULL,
  html    TEXT NOT NULL,    -- the message alone, without what stands around it
  raw     BLOB NOT NULL,    -- as in RFC 5322
  status  TEXT NOT NULL CHECK (status IN ('kept', 'waiting', 'sent', 'failed', 'unreachable')),
  tries   INTEGER NOT NULL DEFAULT 0,
  trouble TEXT NOT NULL DEFAULT ''
);
CREATE TABLE settings (name TEXT PRIMARY KEY, value TEXT NOT NULL);
INSERT INTO "settings" VALUES ('house', '{"second_step":null,"no_mail":["aula.cerroalcor.example"],"mail":null,"providers":null}');
CREATE TABLE invitations (
  id      TEXT PRIMARY KEY,
  address TEXT NOT NULL,        -- as addresses are compared
  by      TEXT NOT NULL,        -- the address of who invites
  at      INTEGER NOT NULL,     -- unix seconds
  ends    INTEGER NOT NULL,
  token   BLOB NOT NULL UNIQUE, -- SHA-256
  mailed  INTEGER NOT NULL,     -- the token was sent to the address and shown to nobody
  word    TEXT NOT NULL,
  stay    TEXT NOT NULL,        -- where a site is handed over: what becomes of who hands it over
  status  TEXT NOT NULL CHECK (status IN ('waiting', 'accepted', 'declined', 'withdrawn'))
);
INSERT INTO "invitations" VALUES ('rYPah5ZIBGt_amd9_hdcjQZibTFokCts', 'helper@outside.example', 'ines@cerroalcor.example', 1795539600, 1796749200, X'454D704D7098C68BF53401E127D07FC4799BEFEDAD1C465F6E12EC837845A40A', 0, '', '', 'waiting');
INSERT INTO "invitations" VALUES ('CVsB2acE5t8chfukgrLrXyOT7b-CcYqz', 'roth@lens.example', 'ines@cerroalcor.example', 1795539600, 1796749200, X'FE27899D05EAD481C89FFB2B8F8191E0161AD5D36C67F36EF643542AC25B1CBF', 0, '', '', 'accepted');
CREATE TABLE invited (
  invitation TEXT NOT NULL REFERENCES invitations ON DELETE CASCADE,
  site       TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  under      TEXT NOT NULL,
  role       TEXT NOT NULL,
  PRIMARY KEY (invitation, site, under)
);
INSERT INTO "invited" VALUES ('rYPah5ZIBGt_amd9_hdcjQZibTFokCts', 'observatory', '/', 'editor');
INSERT INTO "invited" VALUES ('CVsB2acE5t8chfukgrLrXyOT7b-CcYqz', 'observatory', '/open-nights', 'editor');
CREATE TABLE team_reasons (
  site   TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  who    TEXT NOT NULL, -- a person's id, group:ID or an address
  reason TEXT NOT NULL,
  PRIMARY KEY (site, who)
);
INSERT INTO "team_reasons" VALUES ('observatory', 'roth@lens.example', 'volunteer');
CREATE TABLE notices (
  id      INTEGER PRIMARY KEY,
  address TEXT NOT NULL,
  at      INTEGER NOT NULL,
  site    TEXT NOT NULL,
  kind    TEXT NOT NULL,
  what    TEXT NOT NULL,
  url     TEXT NOT NULL,
  seen    INTEGER NOT NULL DEFAULT 0
);
INSERT INTO "notices" VALUES (1, 'roth@lens.example', 1795539600, '', 'waiting', 'Inés Ortuño invites you to work on Cerro Alcor Society.', '/account#invitations', 0);
INSERT INTO "notices" VALUES (2, 'ines@cerroalcor.example', 1795539600, 'society', 'invitation', 'roth@lens.example accepted to be editor of Cerro Alcor Society.', '/sites/society/team', 0);
INSERT INTO "notices" VALUES (3, 'ines@cerroalcor.example', 1795539600, '', 'request', 'Lena Brandt asks to join Crew Antlia.', '/groups/antlia', 0);
INSERT INTO "notices" VALUES (4, 'ines@cerroalcor.example', 1795539600, 'variable-stars', 'request', 'Mateo Ferrán asks for Variable Stars on Thursdays to be published.', '/sites/variable-stars/publish', 0);
INSERT INTO "notices" VALUES (5, 'aiko@cerroalcor.example', 1795539600, 'variable-stars', 'request', 'Mateo Ferrán asks for Variable Stars on Thursdays to be published.', '/sites/variable-stars/publish', 0);
CREATE TABLE mail_links (
  token   BLOB PRIMARY KEY, -- SHA-256
  kind    TEXT NOT NULL,
  address TEXT NOT NULL,
  detail  TEXT NOT NULL,    -- JSON
  ends    INTEGER NOT NULL  -- unix seconds
);
CREATE TABLE passkeys (
  id         BLOB PRIMARY KEY,
  address    TEXT NOT NULL,
  name       TEXT NOT NULL,
  credential TEXT NOT NULL, -- JSON
  made       INTEGER NOT NULL,
  used       INTEGER NOT NULL
);
INSERT INTO "passkeys" VALUES (X'6B65792D6F662D6D6174656F', 'mateo@cerroalcor.example', 'Mateo''s laptop', '{"id":"a2V5LW9mLW1hdGVv"}', 1795539600, 1795539600);
CREATE TABLE recovery_codes (
  address TEXT NOT NULL,
  code    BLOB NOT NULL, -- SHA-256
  PRIMARY KEY (address, code)
);
INSERT INTO "recovery_codes" VALUES ('ines@cerroalcor.example', X'11C85195AE99540AC07F80E2905E6E39AAEFC4AC94CD380F366E79BA83560566');
CREATE TABLE signed_in (
  id      TEXT PRIMARY KEY,
  address TEXT NOT NULL,
  device  TEXT NOT NULL,
  how     TEXT NOT NULL,
  began   INTEGER NOT NULL,
  used    INTEGER NOT NULL
);
INSERT INTO "signed_in" VALUES ('sign-in-of-mateo', 'mateo@cerroalcor.example', 'Firefox on Linux', 'password', 1795539600, 1795539600);
CREATE TABLE group_keepers (
  grp     TEXT NOT NULL,
  address TEXT NOT NULL,
  PRIMARY KEY (grp, address)
);
INSERT INTO "group_keepers" VALUES ('variable-stars', 'aiko@cerroalcor.example');
CREATE TABLE join_codes (
  code     TEXT PRIMARY KEY, -- as it is said
  grp      TEXT NOT NULL,
  by       TEXT NOT NULL,
  at       INTEGER NOT NULL,
  ends     INTEGER NOT NULL,
  most     INTEGER NOT NULL,
  used     INTEGER NOT NULL DEFAULT 0,
  approval INTEGER NOT NULL
);
INSERT INTO "join_codes" VALUES ('thimble-arrow-22', 'antlia', 'ines@cerroalcor.example', 1795539600, 1798131600, 10, 1, 1);
CREATE TABLE join_requests (
  id       INTEGER PRIMARY KEY,
  grp      TEXT NOT NULL,
  address  TEXT NOT NULL,
  name     TEXT NOT NULL,
  password TEXT NOT NULL, -- of the account that is made; '' where there is one
  at       INTEGER NOT NULL,
  UNIQUE (grp, address)
);
INSERT INTO "join_requests" VALUES (1, 'antlia', 'lena-brandt@aula.cerroalcor.example', 'Lena Brandt', '$argon2id$v=19$m=19456,t=2,p=1$WoKI7PZN8k4okb9A1dvtwA$suBNB9svuWLE0iseGcvCuYN2eZsjodyA0qWMVDKE4rs', 1795539600);
CREATE TABLE memberships (site TEXT PRIMARY KEY REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE, part TEXT NOT NULL);
INSERT INTO "memberships" VALUES ('observatory', '{"questions":["What brings you to the observatory?"],"terms":"Members look after the instruments, and after each other on the dark path.","corner":"head","list":true,"comments":["/members"],"held":true}');
CREATE TABLE profiles (
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  person  TEXT NOT NULL,
  part    TEXT NOT NULL,
  picture TEXT NOT NULL DEFAULT '', -- the key of its data
  kind    TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (site, person)
);
INSERT INTO "profiles" VALUES ('observatory', 'rosa-galindo', '{"about":"At the small dome on most Fridays.","answers":[{"Question":"What brings you to the observatory?","Answer":"Jupiter, seen from a balcony."}],"shows":{"about":true,"name":true},"since":"2026-11-23T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'stellan-lozano', '{"about":"At the small dome on most Fridays.","answers":[{"Question":"What brings you to the observatory?","Answer":"My daughter asked what a nova is."}],"shows":{"about":false,"name":true},"since":"2026-11-20T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'tamsin-escobedo', '{"about":"At the small dome on most Fridays.","answers":[{"Question":"What brings you to the observatory?","Answer":"A night at the August party."}],"shows":{"about":true,"name":true},"since":"2026-11-17T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'ada-kovacs', '{"about":"At the small dome on most Fridays.","answers":[{"Question":"What brings you to the observatory?","Answer":"I grind mirrors."}],"shows":{"about":false,"name":true},"since":"2026-11-14T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'benito-duarte', '{"about":"At the small dome on most Fridays.","answers":[{"Question":"What brings you to the observatory?","Answer":"Jupiter, seen from a balcony."}],"shows":{"about":true,"name":true},"since":"2026-11-11T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'carmen-ibarra', '{"about":"At the small dome on most Fridays.","answers":[{"Question":"What brings you to the observatory?","Answer":"My daughter asked what a nova is."}],"shows":{"about":false,"name":true},"since":"2026-11-08T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'dario-brandt', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"A night at the August party."}],"since":"2026-11-05T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'edda-galindo', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"I grind mirrors."}],"since":"2026-11-02T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'farid-lozano', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"Jupiter, seen from a balcony."}],"since":"2026-10-30T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'greta-escobedo', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"My daughter asked what a nova is."}],"since":"2026-10-27T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'hugo-jansen', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"A night at the August party."}],"since":"2026-10-24T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'irene-cifuentes', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"I grind mirrors."}],"since":"2026-10-21T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'jamal-haddad', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"Jupiter, seen from a balcony."}],"since":"2026-10-18T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'katya-abascal', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"My daughter asked what a nova is."}],"since":"2026-10-15T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'leandro-fjeld', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"A night at the August party."}],"since":"2026-10-12T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'marisol-kovacs', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"I grind mirrors."}],"since":"2026-10-09T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'nils-duarte', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"Jupiter, seen from a balcony."}],"since":"2026-10-06T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'odile-ibarra', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"My daughter asked what a nova is."}],"since":"2026-10-03T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'paco-brandt', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"A night at the August party."}],"since":"2026-09-30T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'quim-galindo', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"I grind mirrors."}],"since":"2026-09-27T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'rosa-lozano', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"Jupiter, seen from a balcony."}],"since":"2026-09-24T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'stellan-escobedo', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"My daughter asked what a nova is."}],"since":"2026-09-21T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
INSERT INTO "profiles" VALUES ('observatory', 'tamsin-jansen', '{"answers":[{"Question":"What brings you to the observatory?","Answer":"A night at the August party."}],"since":"2026-09-18T17:00:00Z","agreed":"Members look after the instruments, and after each other on the dark path."}', '', '');
CREATE TABLE let_in_requests (
  id      INTEGER PRIMARY KEY,
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  path    TEXT NOT NULL,
  address TEXT NOT NULL,
  word    TEXT NOT NULL,
  at      INTEGER NOT NULL,
  UNIQUE (site, address, path)
);
INSERT INTO "let_in_requests" VALUES (1, 'variable-stars', '/notes', 'nadia@lens.example', 'I photograph the show night for the paper. May I read the notes before?', 1795528800);
CREATE TABLE comments (
  id      INTEGER PRIMARY KEY,
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  path    TEXT NOT NULL,
  person  TEXT NOT NULL,
  text    TEXT NOT NULL,
  at      INTEGER NOT NULL,
  changed INTEGER NOT NULL DEFAULT 0,
  status  TEXT NOT NULL CHECK (status IN ('held', 'shown', 'removed'))
);
INSERT INTO "comments" VALUES (1, 'observatory', '/members', 'rosa-galindo', 'The red lamps are back in the cupboard by the stairs.', 1795366800, 0, 'shown');
INSERT INTO "comments" VALUES (2, 'observatory', '/members', 'stellan-lozano', 'Is the small dome free on Friday?', 1795366800, 0, 'held');
CREATE INDEX sessions_expiry ON sessions (expiry);
CREATE UNIQUE INDEX pages_id ON pages (site, id);
CREATE INDEX pages_outline ON pages (site, position, id, path, title, in_menu, listing, mark);
CREATE INDEX pages_marks ON pages (site, id, mark);
CREATE INDEX edition_pages_outline ON edition_pages (site, number, position, id, path, title, in_menu, listing, kind, mark);
CREATE INDEX edition_pages_marks ON edition_pages (site, number, id, path, in_menu, listing, mark);
CREATE INDEX mails_waiting ON mails (status) WHERE status = 'waiting';
CREATE INDEX invited_site ON invited (site);
CREATE INDEX notices_address ON notices (address, seen, id);
CREATE INDEX signed_in_address ON signed_in (address);
CREATE INDEX visits_address ON visits (address);
CREATE INDEX comments_page ON comments (site, path, id);
