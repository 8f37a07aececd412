PRAGMA foreign_keys=OFF;
BEGIN TRANSACTION;
CREATE TABLE setting (
    name TEXT PRIMARY KEY,
    value TEXT NOT NULL
) WITHOUT ROWID;
INSERT INTO setting VALUES('a','1');
CREATE TABLE account (
    name TEXT PRIMARY KEY,
    data TEXT NOT NULL
) WITHOUT ROWID;
INSERT INTO account VALUES('tomas','{"Account":"tomas","Name":"Tomas","PasswordHash":"hash","Roles":["operator"],"IsDisabled":false,"SigningKeys":[{"KeyId":"k1","X":"x","Y":"y"}],"Revision":3}');
CREATE TABLE token (
    id TEXT PRIMARY KEY,
    account TEXT NOT NULL,
    hash TEXT NOT NULL UNIQUE,
    label TEXT NOT NULL,
    created INTEGER NOT NULL,
    expires INTEGER NOT NULL
, roles TEXT, is_session INTEGER NOT NULL DEFAULT 0) WITHOUT ROWID;
INSERT INTO token VALUES('t1','tomas','h1','command line',1768384800000,1776160800000,'viewer',1);
CREATE TABLE join_code (
    id TEXT PRIMARY KEY,
    hash TEXT NOT NULL UNIQUE,
    device_group TEXT,
    uses_left INTEGER NOT NULL,
    expires INTEGER NOT NULL,
    made_by TEXT NOT NULL
) WITHOUT ROWID;
INSERT INTO join_code VALUES('c1','h2','pilots',4,1768384800000,'tomas');
CREATE TABLE device_group (
    slug TEXT PRIMARY KEY,
    data TEXT NOT NULL
) WITHOUT ROWID;
INSERT INTO device_group VALUES('pilots','{"Slug":"pilots","Name":"Pilots","IsForTesting":true,"Revision":1}');
CREATE TABLE group_member (
    device_group TEXT NOT NULL,
    device TEXT NOT NULL,
    PRIMARY KEY (device_group, device)
) WITHOUT ROWID;
INSERT INTO group_member VALUES('pilots','d1');
CREATE TABLE package (
    digest TEXT PRIMARY KEY,
    app TEXT NOT NULL,
    version TEXT NOT NULL,
    data TEXT NOT NULL,
    UNIQUE (app, version)
) WITHOUT ROWID;
INSERT INTO package VALUES('p1','foldline','7.2.0','{"Digest":"p1","App":"foldline","Version":"7.2.0","Document":"{}","Signature":"jws","Seal":"seal","BuiltBy":"ines","BuiltAt":"2026-01-14T10:00:00+00:00","State":"Released","History":[{"State":"built","By":"ines","At":"2026-01-14T10:00:00+00:00","Reason":""}]}');
CREATE TABLE deployment (
    id TEXT PRIMARY KEY,
    plan_data TEXT NOT NULL,
    state_data TEXT NOT NULL
) WITHOUT ROWID;
INSERT INTO deployment VALUES('D1001','{"Id":"D1001","Name":"Foldline","Package":"p1","Request":"{}","State":{"Status":"Running","Waves":[],"StartedBy":"tomas","StartedAt":"2026-01-14T10:00:00+00:00","Reason":"","RollsBackSome":false,"IsUnfinished":false,"Since":"2026-01-14T10:00:00+00:00","Revision":0,"TakesIn":true}}','{"Status":"Running","Waves":[],"StartedBy":"tomas","StartedAt":"2026-01-14T10:00:00+00:00","Reason":"","RollsBackSome":false,"IsUnfinished":false,"Since":"2026-01-14T10:00:00+00:00","Revision":0,"TakesIn":true}');
INSERT INTO deployment VALUES('D1002','{"Id":"D1002","Name":"Foldline","Package":"p1","Request":"{}","State":{"Status":"Running","Waves":[],"StartedBy":"tomas","StartedAt":"2026-01-14T10:00:00+00:00","Reason":"","RollsBackSome":false,"IsUnfinished":false,"Since":"2026-01-14T10:00:00+00:00","Revision":2,"TakesIn":true}}','{"Status":"Running","Waves":[],"StartedBy":"tomas","StartedAt":"2026-01-14T10:00:00+00:00","Reason":"","RollsBackSome":false,"IsUnfinished":false,"Since":"2026-01-14T10:00:00+00:00","Revision":2,"TakesIn":true}');
CREATE TABLE wave_plan (
    slug TEXT PRIMARY KEY,
    data TEXT NOT NULL
) WITHOUT ROWID;
INSERT INTO wave_plan VALUES('calm','{"Slug":"calm","Name":"Calm","Waves":"[]","Revision":1}');
CREATE TABLE word (
    number INTEGER PRIMARY KEY,
    text TEXT NOT NULL
);
INSERT INTO word VALUES(0,'kind');
INSERT INTO word VALUES(1,'foldline');
CREATE TABLE device (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    key_id TEXT NOT NULL UNIQUE,
    key_x TEXT NOT NULL,
    key_y TEXT NOT NULL,
    join_code TEXT NOT NULL,
    joined INTEGER NOT NULL,
    last_heard INTEGER,
    sequence INTEGER NOT NULL,
    facts_digest TEXT NOT NULL,
    is_sorted INTEGER NOT NULL,
    user_words TEXT,
    sheet BLOB NOT NULL
) WITHOUT ROWID;
INSERT INTO device VALUES('d1','ALD-DESK-001','k1','x','y','h2',1768384800000,1768384800000,7,'digest',1,'w1',X'0100046465736b809495bff76602010203');
CREATE TABLE device_trial (
    device TEXT PRIMARY KEY,
    data TEXT NOT NULL
) WITHOUT ROWID;
INSERT INTO device_trial VALUES('d1','{"Id":"r1","Device":"d1","Package":"p1","Variant":"desk","By":"tomas","AskedAt":"2026-01-14T10:00:00+00:00","HasPassed":false,"Says":""}');
CREATE TABLE user_word (
    device TEXT NOT NULL,
    word TEXT NOT NULL,
    PRIMARY KEY (device, word)
) WITHOUT ROWID;
INSERT INTO user_word VALUES('d1','w1');
CREATE TABLE handling (
    slug TEXT PRIMARY KEY,
    data TEXT NOT NULL
) WITHOUT ROWID;
INSERT INTO handling VALUES('gentle','{"Slug":"gentle","Name":"Gentle","Values":{"KeepsAll":false,"Close":[],"Settings":{},"IsEmpty":true,"InWords":"changes nothing"},"Apps":["foldline"],"Revision":1}');
CREATE TABLE device_number (
    number INTEGER PRIMARY KEY,
    id TEXT NOT NULL UNIQUE
);
INSERT INTO device_number VALUES(1,'d1');
INSERT INTO device_number VALUES(2,'d2');
CREATE TABLE target_book (
    number INTEGER PRIMARY KEY,
    deployment TEXT UNIQUE
);
INSERT INTO target_book VALUES(1,'D1001');
INSERT INTO target_book VALUES(2,'D1002');
CREATE TABLE target_page (
    place INTEGER PRIMARY KEY,
    body BLOB NOT NULL
);
INSERT INTO target_page VALUES(4294967296,X'0880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a06080118082001');
INSERT INTO target_page VALUES(8589934592,X'0880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a06080118072001');
CREATE TABLE device_heard (
    device INTEGER PRIMARY KEY,
    at INTEGER NOT NULL,
    sequence INTEGER NOT NULL
);
INSERT INTO device_heard VALUES(1,1768388400000,8);
CREATE TABLE attempt (
    id TEXT PRIMARY KEY,
    deployment TEXT NOT NULL,
    device INTEGER NOT NULL,
    started INTEGER NOT NULL,
    outcome TEXT,
    data TEXT NOT NULL
) WITHOUT ROWID;
INSERT INTO attempt VALUES('a1','D1001',1,1768384800000,'failed','{"Id":"a1","Deployment":"D1001","Device":"d1","Kind":"install","Version":"7.2.0","StartedAt":"2026-01-14T10:00:00+00:00","EndedAt":"2026-01-14T10:02:00+00:00","Outcome":"failed","Phase":"run","ExitCode":112,"Message":"","HasLog":false}');
CREATE TABLE event (
    number INTEGER PRIMARY KEY,
    at INTEGER NOT NULL,
    topic TEXT NOT NULL,
    what TEXT NOT NULL,
    actor TEXT,
    deployment TEXT,
    device INTEGER,
    text TEXT NOT NULL,
    reason TEXT
);
INSERT INTO event VALUES(1,1768384800000,'journal','started','tomas','D1001',1,'It started.','because');
INSERT INTO event VALUES(2,1768384800000,'target','failed',NULL,NULL,NULL,'It failed.',NULL);
CREATE TABLE log (
    number INTEGER PRIMARY KEY,
    epoch INTEGER NOT NULL,
    -- Ticks of UTC, 100 ns each, since 0001-01-01T00:00:00Z.
    at INTEGER NOT NULL,
    digest BLOB NOT NULL,
    body BLOB NOT NULL
);
INSERT INTO log VALUES(1,1,639039816000000000,X'76a53c1092b1b2929e85f577e86bffb6a729737bba354ce1044761eed4810223',X'0128b52ffd60a608dd23005a40040d440093930e5ca340810200005514f442a9de7b5f2ff43b5581ecbb1fc99e74a3dddb706bbfd07607ab0a7f067040349e25c8f3d25125d99185af797bcf805b54539398669fb700ca00ba00b4b70a8fef5b2d4976290aa5913e6f7b866678bc8c97f9aba7e3f378c0eec1fcd52aae362d7a94e9aefafc87c78ff8bc87c7cbd3e7b390aa5bbe8a99c7aa6e29dd7a4b75f4d8d8529af9aced0cc51584438f32dfb44cb74e698f99c76d35d1e34d989a3e6fc27425dbb41b8ca9cbcbe71b45373c1e5394963f9f2fa79148295f3d19f0d180f241fa3c239e0eccac16005a1dce2400fb569b598da6035fc7c03c00b35b4f02e0c8ecc0ce9016427a105151a34447c10d4fda3d91e04a92dd7afa7c5b4ef49869dac2d478809d2cdd9a71bf6cda051c72297176f4954a0d08ca1bab03c203b193f5c1b0ccf284585aa0bcb1b6677a210258cfa229e2c3458b1227dc9900002f01888cbb54b3111167858204cc6461aa5732e25d9eac8fbc2e93969105900928438a012833cbf3812506058b2991819d4aa533aa41a2cc679ace801b73783cce9aada9cfa7386dc3f0784c926cc9859d7c80b1f83c17b06b6ecbb8477dd3d50605f75653232c3cdec175cdeb9a977c419126f23281805dd8e7b3ce0137359fef8dcbf4ddaa511c49033dfe3ac14e227c6b98c7f9542a05f49565e2edb04ec0ee9fc72a8a3175c17445e694ac4f38e5f1f127dc19ad1b8579bc4c7dbe4bf444a22e8f97d9e79b546d1af478b9a17839de0ad8c9162fc67b914aa53c762fdd6acada25c15dbad444fa3cce36adc30da9720a6501871ebbd53c2edd9a738f1e6562e61b6bb682b52938d5ddf2d53c6ece52189b6f979e8d17e3e1c0d0572b5d26c68676a880b29414e1a59810939905473c06481cb837018d394aea190ecb09490e1550919935b1012598734befc669359c0f82d7b9f08284e0e5b6002cd780126b69c6b772a0a496e7e40191f091701608f83c78107b109392a4338dd48159db4a694c545bf67818781a5c9799f519e099f07e50805d7743b84ff4e5f1bad584ebad3497030e354a1b9d485405dbacf34673e9d67b39d1e731879b13d1a20bf2ba24c882f17a58336027d31dd316655bb919d5a6655c571e9f35a66d5bf4f9ce348f70df9a6de5541e6f69e3cf5bdaa3c7e378a821a531ca29224232121414a440e94042628839330f1260d08194064ac994a0021191ca284841619dc2300641f9958748f733c528095e87e482809e04207c6487e33c654b473b44f055d024b93da3c3370dab989c10379f7e4e095f7f19b135c4894f2609ae2fe051d11b8ab051889c6baf53fa32245421550bc9caec5c7e1749f30314bc9982eee8179670624cf3bc4436284dc81c539e69fb848ff339644c9d88402a1610143ab5a05c99bb8b05305a12865e2d857ca884366bb23e3a031b7cf41d1df4184130fcc2e1aba4d498e03ca63ee21e5e0a02ecf40de713b81beee5b84d488c73fc6f966c0229e8620471cbad9db3b2638fa560101b911f2f0b89d79e36bb53f20424253cd4b3a7ea8cdc2846732dedbb9557042c2c172fb64d778cbcae9c5952959936064e7f09c0c054a93ce14e35');
INSERT INTO log VALUES(2,1,639039816000000000,X'ce4db4a850d901357c97e3f66d0333c6841511bdbc31e4faa0c2223cf9d38d8c',X'000a530880a08bf0baea94ef081247c2014410021a0264311a02643222380880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a04180720011a06080118072001');
INSERT INTO log VALUES(3,1,639039816000000000,X'e3c5c88093e146d1424fe1bc5c4af468b7a31dd1c5060dd3db64d883ffa2dfe1',X'000a470880a08bf0baea94ef08123bc2013810031a02643122300880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a0418072001');
INSERT INTO log VALUES(4,1,639039816000000000,X'005a7176a4b02ce7c84daae426e8d7d598c673cf6f353c0acf5cd214c88aafce',X'000a0f0880a08bf0baea94ef081203d00103');
INSERT INTO log VALUES(5,1,639039852000000000,X'7d9fba093799be5cc9676b722c891e44a8409ffc693a2f3172a0de77560cdb43',X'0128b52ffd600a01050d00169a5e41206dd41c007ce79d44420078400488001a053a46e6014278303e53fc5ed9773f1e615f62dba9f080731d76a31d3e6912b9316cd4d78d9880e11ce566ff81430b01520046004800adc36b150bc2a8217101a612151f28af2fc6894c1a28cfa2ede18cd90a9ab88ae9828097376d23d9e451032a913657c1bc97d169cfd2344759ee1de8b467e5e6a8bbd716b4478194509048c12184444530b858bebc858b76ce284c90c7dd3125bc3ae7d67b4398cbe39048bef3cc99571f892e9f71872a34e6d523e8f2cd991ecddc78f5bed5528b39b87c7f268457bf3cbd5cd4364c1e011dcab2fcbde0f64c8e5796fcc52aae1dadb93543bb83ebad9b1b015f5e35b67323df1f2ce3d1cc0b5b8b615efdf217c3f3024209a18491232362448881c082d6e53303da39c3f31316dab6ce0d817c71d77373b2992716954615984e5c3cd0c60d65001ed0b6756e26170552fa181102840892020aa4f4e11192c10309428b6549203160edccf856ca236d1611c2a821797136774d261abcd1280c004be54b9b16c60be31147b5c66d952272af46a1d48d65697b9c029f25138985da03');
INSERT INTO log VALUES(6,1,639039888000000000,X'fd9b9af3365aebcd8dbfbb8ff5cabd9cf8d57c233da7abc74db4e24e3bded683',X'000a520880c0ae8cc7ec94ef081204620264321240c2013d0a0544313030311a02643122300880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a0418082001');
CREATE TABLE log_head (
    one INTEGER PRIMARY KEY CHECK (one = 1),
    epoch INTEGER NOT NULL,
    number INTEGER NOT NULL,
    digest BLOB NOT NULL,
    -- Who that is, for people.
    holder TEXT NOT NULL
);
INSERT INTO log_head VALUES(1,1,6,X'fd9b9af3365aebcd8dbfbb8ff5cabd9cf8d57c233da7abc74db4e24e3bded683','this process');
CREATE INDEX attempt_by_deployment ON attempt (deployment, started);
CREATE INDEX attempt_by_device ON attempt (device, started);
CREATE INDEX attempt_open ON attempt (id) WHERE outcome IS NULL;
CREATE INDEX event_by_deployment ON event (deployment, topic, number) WHERE deployment IS NOT NULL;
CREATE INDEX event_by_device ON event (device, number) WHERE device IS NOT NULL;
CREATE INDEX event_by_topic ON event (topic, number) WHERE topic NOT IN ('target', 'device');
COMMIT;
PRAGMA user_version = 16;
