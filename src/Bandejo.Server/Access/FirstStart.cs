using System.Security.Cryptography;
using Bandejo.Core;
using Bandejo.Core.World;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Access;

/// <summary>Makes the first administrator when there is no account yet.</summary>
internal static class FirstStart
{
    /// <summary>
    /// Makes the account <c>root-admin</c> with the password from the options, or with a random one that is written to <c>first-password.txt</c> in the data
    /// folder, readable by the service's user alone.
    /// </summary>
    public static async Task Prepare(FleetWorld world, string dataFolder, string? password)
    {
        if (world.Accounts.Count > 0)
        {
            return;
        }

        var chosen = password ?? RandomNumberGenerator.GetString("abcdefghjkmnpqrstvwxyz23456789", 20);
        if (password is null)
        {
            var file = Path.Combine(dataFolder, "first-password.txt");
            var options = new FileStreamOptions { Mode = FileMode.Create, Access = FileAccess.Write };
            if (!OperatingSystem.IsWindows())
            {
                options.UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite;
            }

            await using var stream = new FileStream(file, options);
            await using var writer = new StreamWriter(stream);
            await writer.WriteLineAsync(chosen);
        }

        var made = await world.Change(null, change =>
        {
            var account = new AccountRecord("root-admin", "First administrator", Accounts.HashOf(chosen), [Roles.Administrator], false, [], 1);
            change.World.Accounts[account.Account] = account;
            change.Keep(new PutAccount(account));
            change.Audit("account-made", "The first administrator 'root-admin' was made at first start.");
            return (Outcome<bool>)true;
        });
        _ = made.Value;
    }
}
