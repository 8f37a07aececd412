namespace Bandejo.Server.Http;

/// <summary>A body for each operation that takes JSON, which works as it stands once what it names is there.</summary>
internal static class ApiExamples
{
    private const string Reason = """{"reason":"Printing works again on 7.2.0."}""";

    private const string Deployment =
        """
        {
          "package": "foldline", "groups": ["pilots", "reading-rooms"], "name": "Foldline for the reading rooms",
          "waves": [
            {"name": "pilots", "pick": "group pilots", "gate": "90 % met for 2 h, then approval"},
            {"name": "everyone", "pick": "everyone else"}
          ],
          "halt": "10 % failed of at least 5", "tries": 3, "retryPause": "15m", "lease": "1d"
        }
        """;

    private const string SignIn = """{"account":"mira-sol","password":"four plain words here","label":"nightly report","days":30}""";

    private static readonly Dictionary<string, string> Bodies = new(StringComparer.Ordinal)
    {
        ["createAccount"] = """{"account":"mira-sol","name":"Mira Sol","password":"four plain words here","roles":["operator"]}""",
        ["changeAccount"] = """{"roles":["operator","approver"]}""",
        ["signIn"] = """{"account":"mira-sol","password":"four plain words here"}""",
        ["createToken"] = SignIn,
        ["changeOwnPassword"] = """{"old":"four plain words here","new":"four other words here"}""",
        ["rollOverIdentity"] = """{"reason":"The old key was on a disk that was sold."}""",
        ["createGroup"] = """{"slug":"reading-rooms","name":"Reading rooms","rule":"kind is \"desk\" and site is \"ALD\""}""",
        ["changeGroup"] = """{"slug":"reading-rooms","name":"Reading rooms","rule":"kind is \"desk\""}""",
        ["previewGroupRule"] = """{"rule":"kind is \"desk\" and site is \"ALD\""}""",
        ["checkRule"] = """{"rule":"kind is \"desk\" and"}""",
        ["previewTesting"] = """{"group":"pilots","isForTesting":true}""",
        ["changeGroupMembers"] = """{"devices":["ALD-DESK-001"]}""",
        ["previewGroupMembers"] = """{"devices":["ALD-DESK-001"],"isIn":true}""",
        ["createJoinCode"] = """{"group":"pilots","uses":20,"hours":48}""",
        ["putWavePlan"] =
            """{"name":"Careful","waves":[{"name":"pilots","pick":"5 %","gate":"95 % met for 2 d"},{"name":"everyone","pick":"everyone else"}]}""",
        ["putCalendar"] = """{"name":"Nights at Alder","kind":"window","when":"Fri 20:00-23:00; third Saturday 22:00 for 6h"}""",
        ["checkCalendar"] = """{"kind":"freeze","when":"2026-12-20 to 2027-01-03","zone":"Europe/Lisbon"}""",
        ["putGroupCalendars"] = """{"calendars":["nights"]}""",
        ["putGroupFetch"] = """{"fetch":"at most 500 kB/s Mon-Fri 08:00-18:00"}""",
        ["putHandling"] = """{"name":"Quiet","signedIn":"nobody","priority":"low","close":["foldline"],"apps":[]}""",
        ["checkHandling"] = """{"name":"Quiet","signedIn":"nobody","priority":"low","close":["foldline"],"apps":["foldline"]}""",
        ["checkPackage"] = """{"manifest":"app: foldline\nversion: 7.2.0\n","files":[]}""",
        ["beginUpload"] = """{"sha256":"9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08","size":4}""",
        ["previewDeployment"] = Deployment,
        ["startDeployment"] = Deployment,
        ["retryTargets"] = """{"devices":["ALD-DESK-001"],"reason":"The disk was full and is not any more."}""",
        ["previewRollBack"] = """{"wave":"pilots"}""",
        ["rollBackDeployment"] = """{"wave":"pilots","reason":"It does not print."}""",
        ["releasePackage"] = """{"reason":"Tried on the bench."}""",
        ["letGoPackage"] = """{"reason":"Nobody needs it any more."}""",
        ["withdrawPackage"] = """{"reason":"It does not print."}""",
        ["approveDeployment"] = Reason,
        ["pauseDeployment"] = """{"reason":"The network is being worked on."}""",
        ["resumeDeployment"] = Reason,
        ["advanceDeployment"] = Reason,
        ["haltDeployment"] = """{"reason":"It does not print."}""",
        ["endDeployment"] = """{"reason":"Another has taken its place."}""",
        ["startDeviceTrial"] = """{"package":"foldline"}""",
        ["changeKeeping"] = """{"historyDays":400,"logDays":90}""",
        ["changeClock"] = """{"speed":60}""",
    };

    /// <summary>The body for an operation; null where none is kept.</summary>
    public static string? Of(string operation) => Bodies.GetValueOrDefault(operation);
}
