using System.Data.Common;
using Bandejo.Core.World;
using Bandejo.Store.Databases;

namespace Bandejo.Store;

/// <summary>What stands in the tables as changes that would bring it there: what a log begins with that was not kept from the first day on.</summary>
internal static class LogBeginning
{
    /// <summary>How many changes are told in one record.</summary>
    private const int AtOnce = 1024;

    /// <summary>Writes what stands in the tables into a log that has nothing yet, in the transaction that is under way.</summary>
    public static void Write(DbConnection connection, Statements statements)
    {
        var log = new Log(statements, epoch: 0);
        var at = KeptTables.LastEventAt(connection);
        foreach (var some in Of(connection).Chunk(AtOnce))
        {
            log.Append([new LoggedPart(at, some)]);
        }

        statements.Flush();
    }

    /// <summary>Everything that is kept, in an order in which it can be carried out.</summary>
    private static IEnumerable<Change> Of(DbConnection connection)
    {
        IEnumerable<Change>[] all =
        [
            KeptTables.Numbers(connection).Select(row => new GaveNumber(row.Id, row.Number)),
            KeptTables.Settings(connection).Select(row => new PutSetting(row.Name, row.Value)),
            KeptTables.Accounts(connection).Select(row => new PutAccount(row)),
            KeptTables.Tokens(connection).Select(row => new PutToken(row)),
            KeptTables.JoinCodes(connection).Select(row => new PutJoinCode(row)),
            KeptTables.Onces(connection).Select(row => new PutOnce(row)),
            KeptTables.Words(connection).Select(row => new AddWord(row.Number, row.Text)),
            KeptTables.Packages(connection).Select(row => new PutPackage(row)),
            KeptTables.Devices(connection).Select(row => new PutDevice(row)),
            KeptTables.Heard(connection).Select(row => new PutHeard(row.Device, row.At, row.Sequence)),
            KeptTables.UserWords(connection).Select(row => new PutUserWord(row.Device, row.Word)),
            KeptTables.Groups(connection).Select(row => new PutGroup(row)),
            KeptTables.Members(connection).Select(row => new PutMember(row.Group, row.Device)),
            KeptTables.WavePlans(connection).Select(row => new PutWavePlan(row)),
            KeptTables.Calendars(connection).Select(row => new PutCalendar(row)),
            KeptTables.Handlings(connection).Select(row => new PutHandling(row)),
            KeptTables.DeviceTrials(connection).Select(row => new PutDeviceTrial(row)),
            KeptTables.Deployments(connection).Select(row => new PutDeployment(row)),
            KeptTables.Targets(connection).Select(row => new PutTarget(row.Deployment, row.Target)),
            KeptTables.Attempts(connection).Select(row => new PutAttempt(row)),
            KeptTables.Events(connection).Select(row => new AddEvent(row)),
        ];
        return all.SelectMany(each => each);
    }
}
