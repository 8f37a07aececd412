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
INSERT INTO device_group VALUES('pilots','{"Slug":"pilots","Name":"Pilots","IsForTesting":true,"Revision":1,"Calendars":""}');
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
INSERT INTO log VALUES(1,1,639039816000000000,X'f3c833f59c8f375450f4231079cd35fbfe2d32f6ea24cc9fb535c06f42961752',X'0128b52ffd605f0a4d2800ba46540e460093930ef44681420b00005451d00ba5b4f7be5ee8777a05b2d7d110d9936eb47b1b52b726b4ddc1aac25f0bde811fe0610ff01aab6890ec08b577dedeb53f8b666aa2afd927cb00d800d5009a46358d6a53e664964cade4c1a66da7e73ad7fe529ebd6f6747b85b572bcf747adb36f5e5d967f699ff8a3440d1860c1dd05fafc31d4e939ed584779d5ec3b3e79c3ec3b34fd5e9b991ab5dfea2a1c7ae7641ddeea2bad2b3c6b69ee8b9b6361577223c7a56f3cfcbf56b96771a7adcd6233d7b0ad7d4e953b8b2709fd7c2b8c6c89cbe5715e6d9715d79f9f4f9829ec914fa2bb690f1859c51d6f811f9782467bd0012f374e800d9b7b39cf54e1e193d05a801c9dd4e152245a8477a7ca0e871e34709181f3c09767c0220e9593eb5ed1b14fe2a77dbd694671375bb8c5be6f356f0280605dad25f166e4a72b630cf868fdc541868db38ec336a7191b3857d31153904c022760a8223058a0f2adc5c088088608308a9c33221c296c2365724c9899f2a0c3435adc4a5a4222a11bd840ac8c9611f0d2d3432bcd7ca3518080e327cf83afdd72d7c43cfa6b6d16330d75c9a39f4ec1937aae35438e49dded52e1603e19d6c3424353274a134572bcc13fa7cea17dcf8c2b3e3ecd98e757a16e87d149e7d9b264b7265381d6c274031850c1bfc32ee52b7bac339c1fd75ac1c95676f105fcf3ca367b142a2bfb010b10626c25531ae31b8b23cbb0a3757bbafce3cfb649dbe515565aa31cf3eb9d3b7a9c369d1b3cf6f449c114dc870a2882ca20a162bf42c3cea76a9ecdd11dca85b53a6d363eef330dc912bb3562a78f42c7cd163d4ed72eed2b31a1afac69e4db1368459dd2e7fd1e3066d9db1f9768c1159441925ecc40c292482517909a5cc509811051594d3e79c96690fdddf0a1ec1a450ddcd809da0a1800a5f43835331a4ac6c35418824a8dc382c9fda867c0c442008e436394c8a7c0a7830705bde558de06e84bb9deaf46d038dc16a6a9b4e8bc9481e1140991c46370124b8735bef077a371dd081e859893c46f2825f80164d0089b535e3db75e4acd8c724ea98328e741484801c44b945b9cd39d29c67f248ae6d574f25ae2f7f3e0b3e0cb44f0e0309f848883926c830bc23dcaa2af34cbb5d0a77b73bdd0b78b4f24a2a5345c196ebfcd58cbaddbd20e9f418c40d7668d2cad4b429c256c41b980b19d684c7b549d976a08debf332ee589e9d6b5cdb36e9f49d6b2ee1be5db61d88f2ecb6363ebdad5d7a76dcba397d7f60ae0f5fbd024d9ee8d93593cd04c203808fa831a5414e1911191909121424513a502231a4ceca031260708918c65150296288884cc54c20320a4c4a8a853121f82587c84d339566aeb920e272523ee94863951d8efd510676340edf493cd004267b5e89426b63b44e8ea29b566b229198f5070508ba9cf8c99f60d07d7a94ec8605da80369c8febbabe77f243210389b0c04274fb11328d0d50247da02b1d9e35d6a018497eae7714dee7c084798516d26e8a00d34ce6572f9eacd46361192728fb5368585b244aacf03a6bf474714bc89a7850f209f1f0311ccfab1d3adf6a85db1c6eff7bc15152800a672a00ebfa81cbfb10aa06a9905bbf2c03439d683de42c6c108c88287644de973316dfefa9d6daaae9264d568035caa1daf7fe65e99a8aa923d40b223e2dd5b32c2cbc1868578668e9f2f2bfcfcaa21fdf3406ae989c00fea5fd2567b07b4962f5179b81a6e4d8bf1e3c88a967f6ccb0715333b17a6e81609e8accc1dae6ebfd96a7896b93c2658636e610bfe04b6006579e5c941a');
INSERT INTO log VALUES(2,1,639039816000000000,X'a1124bea30a653ef206d06309275c238216a73cd332ad7349a82325a3db9710a',X'000a530880a08bf0baea94ef081247c2014410021a0264311a02643222380880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a04180720011a06080118072001');
INSERT INTO log VALUES(3,1,639039816000000000,X'eddd7e3390e1fdbf85fee96a8a4f91bd90bf7fab68086a9b9b657b4f9ac0cd52',X'000a470880a08bf0baea94ef08123bc2013810031a02643122300880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a0418072001');
INSERT INTO log VALUES(4,1,639039816000000000,X'6d88f33d34b505f47fe082c56417d46eefe007e4b425011740163444d19defa6',X'000a0f0880a08bf0baea94ef081203d00103');
INSERT INTO log VALUES(5,1,639039852000000000,X'de2302e52ef96b07591dcceafa8ad3fbfa598c495aad71d02f77f19f41264259',X'0128b52ffd6057018d0e00c6dc6742306dd46215a7388ba5c88c171ea045a970a2ce3eed63f1f32cfd02e3f7588d6b7ba4fdb2bb33d4c14fa697e1972bd0889ccab4a05b11883af842d87a076bdf1159015c00520050001578696064750fd381509bb02fa0a6246d53dec55dc8801e2207b38f7b57f620019183d976effa830e8183155a6c5c2b15c94809060f290d0ba3b70d6d745b5e006bc561565d66832c9ebc67a90000af952a0509161c4a52d7c4c40b76d3ed3976d4e9f35b5b9304db397659fabc0dd1d187821cbbcd1757ac2df8bc25d106c7fef9caf9c969b0465c07e830598cf283f230ac1217b7e18305daac852656060bccaa837a6bf8962aef6259c8805b9e6a45fae60bca0e34e798d59882e62d49f38c3e74a331d63ac7fef9ac69ca11e38c714619e2213b64ec2890c5ecf33b41b57bd394a4edcf53d854bbb70810e6b515a10f8e3d946fcea6cee7b5e9341f9a6af1a520019bf336af6430eedab05070c01248366d170caac597822a9b6ba5221911028488d481183599c6006500c674eb7c2d97d565648cf2830225756f639d500051286bdaf67ce6683ba221c7b2f9ac5d7d45ec27df11004b65d1410c9ca6e5bdf716d00b431347abc6cd96221caf46a1d48d65697b9c0283d16251a6e3beab43d998813d');
INSERT INTO log VALUES(6,1,639039888000000000,X'8d8324c896421534906baba1c4e3f2bb6e516103cdaaf3835e62b1b08035a1e3',X'000a520880c0ae8cc7ec94ef081204620264321240c2013d0a0544313030311a02643122300880a08bf0baea94ef08121e0a1c0a0a7472792d6661696c65641208636f6465203131321201321201331a0418082001');
CREATE TABLE log_head (
    one INTEGER PRIMARY KEY CHECK (one = 1),
    epoch INTEGER NOT NULL,
    number INTEGER NOT NULL,
    digest BLOB NOT NULL,
    -- Who that is, for people.
    holder TEXT NOT NULL
);
INSERT INTO log_head VALUES(1,1,6,X'8d8324c896421534906baba1c4e3f2bb6e516103cdaaf3835e62b1b08035a1e3','this process');
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
INSERT INTO document_past VALUES('calendar','gone',1,639039816000000000,'{"Slug":"gone","Name":"Gone","IsFreeze":true,"Text":"BEGIN:VCALENDAR","Revision":1}');
INSERT INTO document_past VALUES('calendar','gone',5,639039852000000000,NULL);
INSERT INTO document_past VALUES('calendar','nights',1,639039816000000000,'{"Slug":"nights","Name":"Nights","IsFreeze":false,"Text":"BEGIN:VCALENDAR","Revision":1}');
INSERT INTO document_past VALUES('deployment','D1001',1,639039816000000000,'{"Status":"Running","Waves":[],"StartedBy":"tomas","StartedAt":"2026-01-14T10:00:00+00:00","Reason":"","RollsBackSome":false,"IsUnfinished":false,"Since":"2026-01-14T10:00:00+00:00","Revision":0,"TakesIn":true}');
INSERT INTO document_past VALUES('deployment','D1002',5,639039852000000000,'{"Status":"Running","Waves":[],"StartedBy":"tomas","StartedAt":"2026-01-14T10:00:00+00:00","Reason":"","RollsBackSome":false,"IsUnfinished":false,"Since":"2026-01-14T10:00:00+00:00","Revision":2,"TakesIn":true}');
INSERT INTO document_past VALUES('group','left',1,639039816000000000,'{"Slug":"left","Name":"Left","Rule":"kind is known","IsForTesting":false,"Revision":1,"Calendars":""}');
INSERT INTO document_past VALUES('group','left',5,639039852000000000,NULL);
INSERT INTO document_past VALUES('group','pilots',1,639039816000000000,'{"Slug":"pilots","Name":"Pilots","IsForTesting":true,"Revision":1,"Calendars":""}');
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
CREATE TABLE calendar (
    slug TEXT PRIMARY KEY,
    data TEXT NOT NULL
) WITHOUT ROWID;
INSERT INTO calendar VALUES('nights','{"Slug":"nights","Name":"Nights","IsFreeze":false,"Text":"BEGIN:VCALENDAR","Revision":1}');
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
PRAGMA user_version = 20;
