using System.Security.Cryptography;
using System.Text;
using Bandejo.Core.World;
using Bandejo.Store;
using Microsoft.Data.Sqlite;
using Xunit;

namespace Bandejo.Store.Tests;

/// <summary>The audit trail: whatever was changed in it, taken out, put in or cut off is found; and entries are found by what a person remembers.</summary>
public sealed class AuditTests(OnePostgres postgres) : IDisposable
{
    private static readonly DateTimeOffset At = new(2026, 1, 14, 10, 0, 0, TimeSpan.Zero);

    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-audit").FullName;

    private string Database => Path.Combine(_folder, "bandejo.db");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task Anybody_can_digest_the_lines_again()
    {
        await using var store = DatabaseStore.Open(Database);
        await Fill(store);
        var digest = Array.Empty<byte>();
        var lines = store.AuditLines().ToList();
        foreach (var (_, _, line, said) in lines)
        {
            digest = SHA256.HashData([.. digest, .. line]);
            Assert.Equal(Convert.ToHexStringLower(digest), said);
        }

        Assert.Equal([2L, 3, 5, 7], lines.Select(line => line.Number));
        Assert.Equal(
            """{"number":2,"at":"2026-01-14T10:00:00.000Z","what":"account-made","by":"root-admin","text":"Account 'tomas' was made."}""",
            Encoding.UTF8.GetString(lines[0].Line));
        Assert.Equal(new AuditState(4, 7, Convert.ToHexStringLower(digest), null), store.VerifyAudit(null));
        Assert.Null(store.VerifyAudit((3, lines[2].Digest)).Against);
        Assert.Equal("Entry 3, or one before it, is another than it was when the proof was made.", store.VerifyAudit((3, lines[1].Digest)).Against);
        Assert.Equal("There is no entry 9 any more.", store.VerifyAudit((9, lines[1].Digest)).Against);
    }

    [Theory]
    [InlineData("UPDATE event SET text = 'Account ''oskar'' was made.' WHERE number = 3", "Entry 2 (event 3, member-added, 2026-01-14 10:01:00 UTC) is not as it was written.")]
    [InlineData("UPDATE event SET actor = 'oskar' WHERE number = 5", "Entry 3 (event 5, ")]
    [InlineData("UPDATE event SET topic = 'journal' WHERE number = 5", "Entry 3 (event 5, ")]
    [InlineData("DELETE FROM event WHERE number = 3", "Entry 2 is missing, after event 2 of 2026-01-14 10:00:00 UTC.")]
    [InlineData("DELETE FROM event WHERE number = 7", "The trail ends with entry 3, after event 5 of 2026-01-14 10:03:00 UTC, and there were 4: what was after it was cut off.")]
    [InlineData("DELETE FROM event WHERE number >= 5; DELETE FROM audit_chain WHERE number >= 5", "and there were 4: what was after it was cut off.")]
    [InlineData("DELETE FROM event; DELETE FROM audit_chain", "The trail ends with entry 0, and there were 4: what was after it was cut off.")]
    [InlineData("INSERT INTO event SELECT 99, at, topic, what, actor, deployment, device, text, reason FROM event WHERE number = 7", "1 entries are not in the chain: they were put in later.")]
    [InlineData("UPDATE audit_head SET digest = x'00'", "The trail does not end as it was written.")]
    [InlineData("UPDATE audit_chain SET digest = x'00' WHERE entry = 1", "Entry 1 (event 2, ")]
    public async Task Whatever_somebody_does_to_it_is_found(string damage, string says)
    {
        await using var store = DatabaseStore.Open(Database);
        await Fill(store);
        using (var connection = new SqliteConnection($"Data Source={Database};Pooling=False"))
        {
            connection.Open();
            using var command = connection.CreateCommand();
            command.CommandText = damage;
            command.ExecuteNonQuery();
        }

        Assert.Contains(says, store.VerifyAudit(null).Against ?? "");
        await store.DisposeAsync();
        Assert.NotEmpty(DatabaseStore.Check(Database).Differing);
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task What_happened_is_found_by_what_a_person_remembers(bool isServer)
    {
        await using var store = DatabaseStore.Open(isServer ? postgres.Make() : Database);
        await Fill(store);
        Assert.Equal([7L, 3], Found(new EventQuery("audit", null, null, null, null, 10) { Words = ["desk-001"] }));
        Assert.Equal([7L], Found(new EventQuery(null, null, null, null, null, 10) { Words = ["TAKEN", "Pilots"] }));
        Assert.Equal([5L], Found(new EventQuery(null, null, null, null, null, 10) { Words = ["100 %_\\"] }));
        Assert.Empty(Found(new EventQuery(null, null, null, null, null, 10) { Words = ["100_%"] }));
        Assert.Equal([7L, 5], Found(new EventQuery("audit", null, null, null, null, 10) { By = "tomas" }));
        Assert.Equal([4L, 1], Found(new EventQuery(null, null, null, null, null, 10) { By = "" }));
        Assert.Equal([5L, 4], Found(new EventQuery(null, null, null, null, null, 10) { From = At.AddMinutes(2), To = At.AddMinutes(4) }));
        Assert.Equal([3L, 2, 1], Found(new EventQuery(null, null, null, null, null, 10) { To = At.AddMinutes(2) }));
        Assert.Empty(Found(new EventQuery(null, null, null, null, null, 10) { From = At.AddDays(1) }));
        Assert.Equal([7L, 3], Found(new EventQuery(null, null, null, null, null, 10, ["into pilots"]) { Or = ["'pilots'"] }));
        Assert.Equal([5L, 1], Found(new EventQuery(null, null, null, null, null, 10) { Deployments = ["D1001"], Or = ["Foldline "] }));

        IEnumerable<long> Found(EventQuery query) => store.Events(query).Select(each => each.Number);
    }

    private static async Task Fill(DatabaseStore store)
    {
        await store.Commit(At, [Event(1, 0, "package", "released", null, "Foldline 7.2.0 was released."), Event(2, 0, "audit", "account-made", "root-admin", "Account 'tomas' was made.")]);
        await store.Commit(At.AddMinutes(1), [Event(3, 1, "audit", "member-added", "root-admin", "DESK-001 was put into 'pilots'.")]);
        await store.Commit(At.AddMinutes(2), [Event(4, 2, "journal", "opened", null, "A wave opened.")]);
        await store.Commit(At.AddMinutes(3), [Event(5, 3, "audit", "started", "tomas", "It was started.", "100 %_\\ sure", "D1001")]);
        await store.Commit(At.AddMinutes(5), [
            Event(6, 5, "journal", "halted", "tomas", "It was halted."), Event(7, 5, "audit", "member-removed", "tomas", "DESK-001 was taken out of 'pilots'.", "why \0 not")]);
    }

    private static AddEvent Event(
        long number, int minute, string topic, string what, string? by, string text, string? reason = null, string? deployment = null) =>
        new(new EventRecord(number, At.AddMinutes(minute), topic, what, by, deployment, null, text, reason));
}
