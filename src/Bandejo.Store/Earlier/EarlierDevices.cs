using System.Text.Json;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Bandejo.Store.Earlier;

/// <summary>Brings devices over from the text form in which they were kept before migration 5.</summary>
internal static class EarlierDevices
{
    public static void BringOver(SqliteConnection connection, SqliteTransaction transaction)
    {
        var book = new WordBook();
        foreach (var text in connection.Query<string>("SELECT data FROM device_before", transaction: transaction, buffered: false))
        {
            var before = KeptForms.Read<Before>(text);
            var sheet = FactSheet.Of(
                [.. before.Facts.Select(fact => new ReportedFact(book.Number(fact.Key), fact.Value, before.FactTimes.GetValueOrDefault(
                    fact.Key, before.Joined)))],
                before.Programs?.Select(program => new ReportedProgram(book.Number(program.Name), book.Number(program.Version), book.Number(program.Source)))
                    .ToList());
            connection.Execute(
                "INSERT INTO device VALUES (@Id, @Name, @KeyId, @X, @Y, @JoinCode, @Joined, @Heard, @Sequence, @FactsDigest, @IsSorted, @Words, @Sheet)",
                new
                {
                    before.Id, before.Name, before.Key.KeyId, before.Key.X, before.Key.Y, before.JoinCode, Joined = before.Joined.ToUnixTimeMilliseconds(),
                    Heard = before.LastHeard?.ToUnixTimeMilliseconds(),
                    before.Sequence, before.FactsDigest, before.IsSorted, Words = before.Heard is null ? null : string.Join(' ', before.Heard),
                    Sheet = sheet.Form.ToArray(),
                },
                transaction);
        }

        foreach (var (number, text) in book.TakeChanges().New)
        {
            connection.Execute("INSERT INTO word VALUES (@number, @text)", new { number, text }, transaction);
        }
    }

    private sealed record Before(
        string Id, string Name, KeyRecord Key, string JoinCode, DateTimeOffset Joined, DateTimeOffset? LastHeard, long Sequence, string FactsDigest,
        Dictionary<string, string> Facts, Dictionary<string, DateTimeOffset> FactTimes, List<ProgramBefore>? Programs, bool IsSorted,
        List<string>? Heard = null);

    private sealed record ProgramBefore(string Name, string Version, string Source);
}
