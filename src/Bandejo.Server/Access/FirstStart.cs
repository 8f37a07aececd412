using System.Security.Cryptography;
using Bandejo.Core;
using Bandejo.Core.Site;
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
    public static async Task Prepare(WorldHost world, string dataFolder, string? password)
    {
        if (world.Peek(each => each.Accounts.Count) > 0)
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

        var hash = Passwords.Hashed(chosen).Hash;
        var made = await world.Change(null, decision => Accounts.AddFirst(decision, hash));
        _ = made.Value;
    }
}
