using System.Globalization;
using System.Text;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Http;

namespace Bandejo.Server.Bench;

/// <summary>The bench: from a dropped file to a signed package.</summary>
internal static class BenchRoutes
{
    public static void MapBench(this RouteGroupBuilder api)
    {
        api.MapGet("/bench", (Drafts drafts) => Results.Ok((IReadOnlyList<BenchDraftInfo>)[.. drafts.All().Select(Info)]))
            .ForSeeing(Roles.Packager).WithName("listDrafts").WithSummary("Drafts on the bench, newest first").Produces<IReadOnlyList<BenchDraftInfo>>();
        api.MapPost("/bench", async (Drafts drafts, HttpContext context) => (await drafts.Begin(context.Person())).Answer(draft => Results.Created(
            $"/api/v1/bench/{draft.Id}", Info(draft))))
            .For(Roles.Packager).WithName("createDraft").WithSummary("Begins an empty draft").Produces<BenchDraftInfo>(201);
        api.MapGet("/bench/{draft}", (Drafts drafts, BenchTrials trials, string draft) => drafts.Find(draft).Answer(found => Results.Ok(Whole(
            drafts, trials, found))))
            .ForSeeing(Roles.Packager).WithName("getDraft").WithSummary("A draft with all that is known of it").Produces<BenchDraft>();
        api.MapDelete("/bench/{draft}", async (Drafts drafts, HttpContext context, string draft) => (await drafts.Clear(draft, context.Person())).Answer(
            _ => Results.NoContent()))
            .For(Roles.Packager).WithName("removeDraft").WithSummary("Clears a draft away; what was built of it stays").Produces(204);
        api.MapPut(
            "/bench/{draft}/manifest",
            async (Drafts drafts, BenchTrials trials, HttpContext context, string draft, BenchManifestRequest request) =>
                (await drafts.Write(draft, request.Manifest, context.Request.Headers.IfMatch.ToString().Trim('"'))).Answer(
                    found => Results.Ok(Whole(drafts, trials, found))))
            .For(Roles.Packager).WithName("writeDraftManifest").Revised()
            .WithSummary("Writes a draft's manifest, and says what is wrong with it").Produces<BenchDraft>();
        api.MapPatch("/bench/{draft}/files", async (Drafts drafts, HttpContext context, string draft, string path, long size) =>
            !long.TryParse(context.Request.Headers["Upload-Offset"], NumberStyles.None, CultureInfo.InvariantCulture, out var offset)
                ? Problems.Of(new Failure(ErrorKind.Invalid, "Say with the header Upload-Offset where these bytes begin."))
                : (await drafts.Append(draft, path, size, offset, context.Request.Body, context.RequestAborted)).Answer())
            .For(Roles.Packager).WithName("putDraftFile")
            .WithSummary("Appends to a file of a draft at Upload-Offset; whole, it is inspected").Produces<BenchFileInfo>();
        api.MapDelete(
            "/bench/{draft}/files",
            async (Drafts drafts, BenchTrials trials, HttpContext context, string draft, string path) =>
                (await drafts.RemoveFile(draft, path, context.RequestAborted)).Answer(found => Results.Ok(Whole(drafts, trials, found))))
            .For(Roles.Packager).WithName("removeDraftFile").WithSummary("Takes a file out of a draft").Produces<BenchDraft>();
        api.MapPut("/bench/{draft}/capture", async (Drafts drafts, BenchTrials trials, HttpContext context, string draft, BenchCaptureRequest request) =>
            (await drafts.TakeOfCapture(draft, request.Taken, context.RequestAborted)).Answer(found => Results.Ok(Whole(drafts, trials, found))))
            .For(Roles.Packager).WithName("captureIntoDraft").WithSummary("Takes of a capture what is named, and leaves the rest out").Produces<BenchDraft>();
        api.MapPost(
            "/bench/{draft}/after",
            async (Drafts drafts, BenchTrials trials, HttpContext context, string draft, BenchAfterRequest request) =>
                (await drafts.Follow(draft, request.Package, context.RequestAborted)).Answer(found => Results.Ok(Whole(drafts, trials, found))))
            .For(Roles.Packager).WithName("setDraftAfter")
            .WithSummary("Keeps the choices of an earlier package in a draft, and says what changed since").Produces<BenchDraft>();
        api.MapPost("/bench/{draft}/inside", async (Drafts drafts, HttpContext context, string draft, BenchInsideRequest request) =>
            (await drafts.TakeOut(draft, request.File, request.Path, context.Person(), context.RequestAborted))
                .Answer(taken => Results.Created($"/api/v1/bench/{taken.Id}", Info(taken))))
            .For(Roles.Packager).WithName("createDraftFromInside")
            .WithSummary("Begins a draft of an installer that an archive of this draft brings along").Produces<BenchDraftInfo>(201);
        api.MapPost(
            "/bench/{draft}/trial",
            async (BenchTrials trials, HttpContext context, string draft) =>
                (await trials.Start(draft, context.Person())).Answer(trial => Results.Json(trial, statusCode: 202)))
            .For(Roles.Packager).WithName("tryDraft").WithSummary("Tries a draft in a clean sandbox of the service's machine").Produces<BenchTrialInfo>(202);
        api.MapPost("/bench/{draft}/build", async (Drafts drafts, BenchTrials trials, HttpContext context, string draft, BenchBuildRequest request) =>
        {
            var built = await drafts.Build(draft, request, context.Person());
            if (built.Ok)
            {
                await trials.Attach(draft, built.Value.Digest, context.Person());
            }

            return built.Answer(package => Results.Json(package, statusCode: package.IsNew ? 201 : 200));
        }).For(Roles.Packager).WithName("buildDraft").WithSummary("Takes a draft in as a package, signed by whoever builds it").Produces<PackageInfo>(201);
    }

    private static BenchDraftInfo Info(KeptDraft draft) =>
        new(draft.Id, Drafts.NameOf(draft), draft.By, draft.At, draft.Files.Count, draft.Files.Sum(file => file.Size), draft.Package);

    private static BenchCaptureInfo Told(KeptCapture capture)
    {
        var taken = capture.Taken.ToHashSet(StringComparer.Ordinal);
        return new BenchCaptureInfo(
            [.. capture.Found.OrderBy(each => each.Path, StringComparer.Ordinal).Take(5000).Select(each => new CapturedThing(
                each.Path, each.Kind, each.Size, Says(each), each.LeftOut, taken.Contains(each.Path) && Captures.CanBeTaken(each), Captures.CanBeTaken(each)))],
            capture.Found.Count);

        static string Says(CapturedInfo each) => each.Kind switch
        {
            "link" => $"link to {each.Target}",
            "user" => $"user, of the group {each.Owner}",
            _ => $"{each.Kind}{(each.Mode.Length == 0 ? "" : $" {each.Mode}")}{(each.Owner is null ? "" : $", belongs to {each.Owner}")}",
        };
    }

    private static BenchDraft Whole(Drafts drafts, BenchTrials trials, KeptDraft draft)
    {
        var check = drafts.Check(draft);
        return new BenchDraft(
            Info(draft), draft.Manifest, draft.Files, check,
            trials.Of(draft, check?.Document is { } document ? Drafts.DigestOf(Encoding.UTF8.GetBytes(document)) : ""), trials.Why, draft.After,
            drafts.Earlier(draft), draft.Capture is { } capture ? Told(capture) : null)
        {
            Revision = Drafts.RevisionOf(draft),
        };
    }
}
