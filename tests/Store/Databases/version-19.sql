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
INSERT INTO log VALUES(1,1,639039816000000000,X'51318cfc5c9df325b8ccea9485a59739e8031b47b1b02465fc44d3b473e5cf7e',X'0128b52ffd608c091526009a43ac0d460075930eec8697d3adffff1b65cd9aff93677a6428e2289ae89a06c99e6aa3dddb9eac5921cbed7ddec73353d6bf97182c04a7f18f24357a0f87999f95d723a095f97dc81e01c100d100c7001343799061d9e9b5ceb53b0a97efbb5913edd6548a239dde364dc570f9293ff35b708707f6889f03facb6d7813d1a2cb99efacd37bb8fc88d377b8fc449d5e0bb1dae52d197acc6a17d3ddae691b5d36b6b544afb5a5a97803e1d0e5cc3b2ed7ae55dc65e8715b4e74f913aea7d39f7065d13a6e85717d81397da7aa86cbe39ae2f2e9f3f53812e9f316a411a18d3861acb053d2e144cd7201e2c5d9d001b1ef6635cb953811720a500351bb1b8a2496504ee4107931c4471116374a7012a8e80477cbb8613ace020ebd983c3b7a6ba50614e7eae27ce8c40c7579b24cbb3aa11697385757074f1044800b5ea5233f60bc2881c2ad910080083e9488362c132264a72b63c19311f01375792686a1b88c2a805040183e05e2d4ae8e871699f89d5be599cb0488f8fd6b9dbeeb15be9fcb8965f4d8cb358f66fe5c3ee3366d1a0a7fb8d3b3dac55e2638954ce664267eac95d66a86a9429f4b8d0137de70799c39bba94eaff2b8eec2e5b349b227377ed341e6c20361c4afbd2ee31ef5aa37112ab8bb4d35a2c2e51b6018c5308a4d189589129df2481ce8f2584a9602e15dc75cd2ab541fd05bd709c8e342815915e3fa822bcbe551b8b5ba7535e6f25375fa365514a9be5c7e6aa76fd226a241979f5d0aa803b688df7c0167c0182ad5e7f2bbe96ea7cc5d13dca65b4fa4d363ade338dc102bab521570e8f26bd163d3dd72eed1e58c0c7d63ce52b0f68355dd2e6fd1e3f66c8db1f9b609e28033608e0ba6cfc888a81c28a46c2541802b68ccb42b97da92740c4023086236b52b96740a90307057dc4599e0cd44bb1beaf46d3dd1652eb58da9e910bf690a8dbd4a6a9a4d4b8a490e115899da4533012778735b6fe771351bcf01c8b1008584e2f5ba002d9880136b6bc677dbc459af4e0a0c322334d92820f138803183319bd3a4358ec4895adbad9650585dee74167418609fdae511d09100814c88df7743b85115e612bbdb096f772bdd0d38d4296e8422d5156cb5ce5dcda6bbddeb894e8f3ddc5e88165998183641970ce8e3aa11bf99efb8b628dbcda361755cc61bcbe5b5c6b56d8b4edfb9e611eebb65bb792b97b7b5f1e96dedd1e5f1aae6f4dd79b9fe6b058083a811a5418a2123423212242848a2744042624839330f1260b08912e641c9142981884cc54c908202738a853141e1659dc840333c33975cef7201ea4f0c927712ceb10865d547ad7234e4000d10edd7125e9e5fb0c9497073d0460089d79f38de6acb914d40134e9581a32f1ada6c23b3701e5ce9fedd274d43bc2b64abec05fdda4f1404380ed39deef47ce43cc438e43a907ec875af94af8e38089f9e01c7687e81a57430b970145b82b2b51a97ab1a0b6eb40c3d10d900df151300d7c40ff2507200b7c756086204f8457afdc54c76290c94c4d03125029f85aa9dadbaa5d57ddc2165e1b48baeb4c8aa09a4ef0dcc3235955047485d4452b4c4df4a75563b5067990ecdfaf25f4f9c9e7024d3e1f060f203fe8efa8f4db0ab40226ac13ca755a2538c1a1e0ddfb34f86d7b8a32167a0dd02325c539cebb56dc83d737ea57730a99e4c3b86a87f09c0c054ab3cb94c35');
INSERT INTO log VALUES(2,1,639039816000000000,X'bb440e5d9ecd4170dad3fcc4b7add1c0e24dad1cd613a5ed27ed0c9d2713bc69',X'000a530880a08bf0baea94ef081247c2014410021a0264311a02643222380880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a04180720011a06080118072001');
INSERT INTO log VALUES(3,1,639039816000000000,X'bc7e0ccd15c6cdbd642a1b5375f05263e5a967b97faea6f6231bc8a6c08e197f',X'000a470880a08bf0baea94ef08123bc2013810031a02643122300880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a0418072001');
INSERT INTO log VALUES(4,1,639039816000000000,X'508d090a4aeac0b7c9c10649868c13fe5baace26b5ff44ac33cf8c31b7107b52',X'000a0f0880a08bf0baea94ef081203d00103');
INSERT INTO log VALUES(5,1,639039852000000000,X'ddc39ae60b3ce1d1343035bdf21d8a6d2af7f8ed7d4abec2e1005756386b271e',X'0128b52ffd604e016d0e00a65c6741306dd46215a73895608a25117fb08de1d0a2de1efe58fc3c4bbfc0f83d56e3da1e69bfecee0c75f093e965f8e50a3422a7322de85604a20ebe0160ddc5da7744565c00520050001568655cb2ba777120d428ec0ba8e948db94777118306047c8c1cce39e953d5820e460b6ddb3fea04be0a085161a16496a44a4248307544675e96d411bdd9627a05a71985587d91f8b27ef552a02408b249582040b0e25286b62e205f376d3dd39f693e9f35bdbd204cb397649fabc055191877e1cbbcd1757ac31f8bc1d5107c7fef9bab9c96da8445c07e8ae2c46e9417900aa12970f1668b3069a541a2c30ab0eeaade14baabc4b7501036e01f976aa0de99bef273fd09b635663fa99b723ad23f2508dc658e31cfbe7b3a6e9468c33c619254887e49091c34016b3cf6f05d5ee4dd391b63f5f4153edde244498d7368442387650be3997389fd72553996af1a59f017bf334af602e676954283620e92397b68b06d5e24b3f158d45921a19110284081482183359e6008500c674eb7c2d97d561648cd2830225754f539d58004f275bdaf67cde682ba220c7b2f9ac5d7d43ac2710004b6541410c9ca6e57df516d00b431347abc6cd96221caf46a1d48d65697b9c02c7ca4c477b5707bd31037b');
INSERT INTO log VALUES(6,1,639039888000000000,X'9de6502f1c7f79bba338476d0cca1de1a3434558fbe729d1c123254cba297d5e',X'000a520880c0ae8cc7ec94ef081204620264321240c2013d0a0544313030311a02643122300880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a0418082001');
CREATE TABLE log_head (
    one INTEGER PRIMARY KEY CHECK (one = 1),
    epoch INTEGER NOT NULL,
    number INTEGER NOT NULL,
    digest BLOB NOT NULL,
    -- Who that is, for people.
    holder TEXT NOT NULL
);
INSERT INTO log_head VALUES(1,1,6,X'9de6502f1c7f79bba338476d0cca1de1a3434558fbe729d1c123254cba297d5e','this process');
CREATE TABLE target_past (
    place INTEGER NOT NULL,
    number INTEGER NOT NULL,
    base INTEGER NOT NULL,
    at INTEGER NOT NULL,
    body BLOB NOT NULL,
    PRIMARY KEY (place, number)
) WITHOUT ROWID;
INSERT INTO target_past VALUES(4294967296,1,1,639039816000000000,X'0880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a06080118072001');
INSERT INTO target_past VALUES(4294967296,6,1,639039888000000000,X'0880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a06080118082001');
INSERT INTO target_past VALUES(8589934592,2,2,639039816000000000,X'0880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a060801180720011a06080218072001');
INSERT INTO target_past VALUES(8589934592,6,2,639039888000000000,X'220102');
CREATE TABLE count_past (
    book INTEGER NOT NULL,
    number INTEGER NOT NULL,
    body BLOB NOT NULL,
    PRIMARY KEY (book, number)
) WITHOUT ROWID;
INSERT INTO count_past VALUES(1,1,X'0a10000000000000000100000000000000001201011a010820012801');
INSERT INTO count_past VALUES(1,6,X'0a10000000000000000001000000000000001201011a010920022802');
INSERT INTO count_past VALUES(2,2,X'0a1000000000000000020000000000000000120201011a02080820012802');
INSERT INTO count_past VALUES(2,6,X'0a10000000000000000100000000000000001201021a010020022803');
CREATE TABLE device_past (
    device INTEGER NOT NULL,
    number INTEGER NOT NULL,
    base INTEGER NOT NULL,
    at INTEGER NOT NULL,
    body BLOB NOT NULL,
    PRIMARY KEY (device, number)
) WITHOUT ROWID;
INSERT INTO device_past VALUES(1,1,1,639039816000000000,X'0a0c414c442d4445534b2d3030311080cacadfbb331a0f080112046465736b1880cacadfbb3328013206080210031804');
INSERT INTO device_past VALUES(2,1,1,639039816000000000,X'0a0c414c442d4445534b2d3030321080cacadfbb331a0f080112046465736b1880cacadfbb3328013206080210031804');
CREATE TABLE device_gone (
    device INTEGER PRIMARY KEY,
    number INTEGER NOT NULL,
    name TEXT NOT NULL
);
INSERT INTO device_gone VALUES(2,6,'ALD-DESK-002');
CREATE TABLE said_word (
    number INTEGER PRIMARY KEY,
    text TEXT NOT NULL UNIQUE
);
INSERT INTO said_word VALUES(1,'kind');
INSERT INTO said_word VALUES(2,'foldline');
INSERT INTO said_word VALUES(3,'old');
INSERT INTO said_word VALUES(4,'');
CREATE TABLE member_past (
    device_group TEXT NOT NULL,
    number INTEGER NOT NULL,
    base INTEGER NOT NULL,
    at INTEGER NOT NULL,
    body BLOB NOT NULL,
    PRIMARY KEY (device_group, number)
) WITHOUT ROWID;
INSERT INTO member_past VALUES('left',1,1,639039816000000000,X'0a020102');
INSERT INTO member_past VALUES('left',5,5,639039852000000000,X'');
INSERT INTO member_past VALUES('pilots',1,1,639039816000000000,X'0a020102');
INSERT INTO member_past VALUES('pilots',5,1,639039852000000000,X'120102');
CREATE TABLE document_past (
    kind TEXT NOT NULL,
    id TEXT NOT NULL,
    number INTEGER NOT NULL,
    at INTEGER NOT NULL,
    data TEXT,
    PRIMARY KEY (kind, id, number)
) WITHOUT ROWID;
INSERT INTO document_past VALUES('deployment','D1001',1,639039816000000000,'{"Status":"Running","Waves":[],"StartedBy":"tomas","StartedAt":"2026-01-14T10:00:00+00:00","Reason":"","RollsBackSome":false,"IsUnfinished":false,"Since":"2026-01-14T10:00:00+00:00","Revision":0,"TakesIn":true}');
INSERT INTO document_past VALUES('deployment','D1002',5,639039852000000000,'{"Status":"Running","Waves":[],"StartedBy":"tomas","StartedAt":"2026-01-14T10:00:00+00:00","Reason":"","RollsBackSome":false,"IsUnfinished":false,"Since":"2026-01-14T10:00:00+00:00","Revision":2,"TakesIn":true}');
INSERT INTO document_past VALUES('group','left',1,639039816000000000,'{"Slug":"left","Name":"Left","Rule":"kind is known","IsForTesting":false,"Revision":1}');
INSERT INTO document_past VALUES('group','left',5,639039852000000000,NULL);
INSERT INTO document_past VALUES('group','pilots',1,639039816000000000,'{"Slug":"pilots","Name":"Pilots","IsForTesting":true,"Revision":1}');
INSERT INTO document_past VALUES('handling','gentle',1,639039816000000000,'{"Slug":"gentle","Name":"Gentle","Values":{"KeepsAll":false,"Close":[],"Settings":{},"IsEmpty":true,"InWords":"changes nothing"},"Apps":["foldline"],"Revision":1}');
INSERT INTO document_past VALUES('handling','gone',1,639039816000000000,'{"Slug":"gone","Name":"Gone","Values":{"KeepsAll":false,"Close":[],"Settings":{},"IsEmpty":true,"InWords":"changes nothing"},"Apps":[],"Revision":1}');
INSERT INTO document_past VALUES('handling','gone',5,639039852000000000,NULL);
INSERT INTO document_past VALUES('package','p1',1,639039816000000000,'{"Digest":"p1","App":"foldline","Version":"7.2.0","Document":"{}","Signature":"jws","Seal":"seal","BuiltBy":"ines","BuiltAt":"2026-01-14T10:00:00+00:00","State":"Released","History":[{"State":"built","By":"ines","At":"2026-01-14T10:00:00+00:00","Reason":""}]}');
INSERT INTO document_past VALUES('wave-plan','calm',1,639039816000000000,'{"Slug":"calm","Name":"Calm","Waves":"[]","Revision":1}');
INSERT INTO document_past VALUES('wave-plan','gone',1,639039816000000000,'{"Slug":"gone","Name":"Gone","Waves":"[]","Revision":1}');
INSERT INTO document_past VALUES('wave-plan','gone',5,639039852000000000,NULL);
CREATE TABLE day_count (
    subject TEXT NOT NULL,
    part TEXT NOT NULL,
    day INTEGER NOT NULL,
    count INTEGER NOT NULL,
    PRIMARY KEY (subject, part, day)
) WITHOUT ROWID;
INSERT INTO day_count VALUES('fleet','desk',20467,1);
INSERT INTO day_count VALUES('program foldline','',20467,-1);
INSERT INTO day_count VALUES('program foldline','old',20467,2);
CREATE TABLE audit_chain (
    entry INTEGER PRIMARY KEY,
    -- Of the event.
    number INTEGER NOT NULL UNIQUE,
    digest BLOB NOT NULL
);
CREATE TABLE audit_head (
    one INTEGER PRIMARY KEY CHECK (one = 1),
    entries INTEGER NOT NULL,
    digest BLOB NOT NULL
);
INSERT INTO audit_head VALUES(1,0,X'');
CREATE TABLE once (
    account TEXT NOT NULL,
    key TEXT NOT NULL,
    data TEXT NOT NULL,
    PRIMARY KEY (account, key)
) WITHOUT ROWID;
INSERT INTO once VALUES('tomas','one','{"Account":"tomas","Key":"one","Asked":"digest","At":"2026-01-14T10:00:00+00:00","Status":201,"Answer":"{}"}');
CREATE TABLE state_past (
    book INTEGER NOT NULL,
    number INTEGER NOT NULL,
    body BLOB NOT NULL,
    PRIMARY KEY (book, number)
) WITHOUT ROWID;
CREATE INDEX attempt_by_deployment ON attempt (deployment, started);
CREATE INDEX attempt_by_device ON attempt (device, started);
CREATE INDEX attempt_open ON attempt (id) WHERE outcome IS NULL;
CREATE INDEX event_by_deployment ON event (deployment, topic, number) WHERE deployment IS NOT NULL;
CREATE INDEX event_by_device ON event (device, number) WHERE device IS NOT NULL;
CREATE INDEX event_by_topic ON event (topic, number) WHERE topic NOT IN ('target', 'device');
CREATE INDEX device_gone_by_name ON device_gone (name, number);
CREATE INDEX attempt_by_start ON attempt (started);
CREATE INDEX log_by_at ON log (at, number);
COMMIT;
PRAGMA user_version = 19;
