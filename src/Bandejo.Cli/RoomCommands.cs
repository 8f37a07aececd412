using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary><c>bandejo package room</c> and <c>let-go</c>.</summary>
internal static class RoomCommands
{
    private static readonly Argument<string> Package = new("package") { Description = "A digest or its beginning, 'app version', or an app" };
    private static readonly Option<string> Reason = Shared.Reason("with the package");

    public static Command Room() =>
        Shared.Table("room", "Says how much room packages take, and which can be let go", "package room", async (parsed, client, cancellation) =>
    {
        var room = await client.Get("/api/v1/packages/room", ContractJson.Default.RoomInfo, cancellation);
        var sheet = new Sheet("Package", "State", "#Own", "#Shared", "Can be let go");
        foreach (var each in room.Packages)
        {
            sheet.Add(
                $"{each.Package.App} {each.Package.Version}", each.Package.State, Say.Size(each.Room.Own), Say.Size(each.Room.Shared),
                each.Room.KeptFor is { } why ? $"no: {why}" : "yes");
        }

        sheet.Print(parsed.GetValue(Shared.Output)!, room, ContractJson.Default.RoomInfo, "No packages yet.");
        if (parsed.GetValue(Shared.Output) == "table" && room.Packages.Count > 0)
        {
            var some = room.Packages.FirstOrDefault(each => each.Room.KeptFor is null)?.Package;
            Console.WriteLine(
                $"\n{Say.Size(room.Total)} in all, {Say.Size(room.MayGo)} of it in packages that nothing needs any "
                    + $"more.{(some is null ? "" : $" Next: bandejo package let-go \"{some.App} {some.Version}\"")}");
        }

        return ExitCode.Done;
    });

    public static Command LetGo() =>
        Shared.Verb(
            "let-go", "Lets the files of a package go that nothing needs any more; its history stays", "package let-go \"foldline 7.0.4\"",
            async (parsed, client, cancellation) =>
    {
        var gone = await client.Post(
            $"/api/v1/packages/{Uri.EscapeDataString(parsed.GetValue(Package)!)}/let-go", new ReasonRequest(parsed.GetValue(Reason)),
            ContractJson.Default.ReasonRequest, ContractJson.Default.PackageRoomInfo, cancellation);
        Console.WriteLine(
            $"{gone.Package.Name} {gone.Package.Version} is let go; {Say.Size(gone.Room.Own)} "
                + $"went{(gone.Room.Shared > 0 ? $", {Say.Size(gone.Room.Shared)} stay for other packages" : "")}. Building or importing it again "
                    + $"brings it back.");
        return ExitCode.Done;
    }, Package, Reason);
}
