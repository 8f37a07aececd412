using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.Packages;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;
using Microsoft.AspNetCore.Http.Metadata;

namespace Bandejo.Server.Packages;

/// <summary>The catalogue: apps, packages, and their way in.</summary>
internal static class PackageRoutes
{
    public static void MapPackages(this RouteGroupBuilder api)
    {
        api.MapGet("/apps", (WorldHost world) => Results.Ok(world.Read(Catalogue.Apps))).ForAll().WithName("listApps")
            .WithSummary("All apps").Produces<IReadOnlyList<AppInfo>>();
        api.MapGet("/apps/{app}", (WorldHost world, string app) => world.Read(each => Catalogue.App(each, app)).Answer())
            .ForAll().WithName("getApp").WithSummary("One app").Produces<AppInfo>();
        api.MapGet("/apps/{app}/icon", Icon).ForAll().WithName("getAppIcon").WithSummary("The picture of an app, from its newest package that has one")
            .Produces<byte[]>(200, "image/svg+xml", "image/png");
        api.MapGet("/packages", (WorldHost world, string? app, string? cursor, int? limit) =>
            world.Read(each => Catalogue.List(each, app, cursor, limit)).Answer())
            .ForAll().WithName("listPackages").WithSummary("Packages, by app and newest version first").Produces<Page<PackageInfo>>();
        api.MapGet("/packages/room", (Leaving leaving) => Results.Ok(leaving.Room()))
            .ForAll().WithName("getRoom").WithSummary("How much room packages take, and which could be let go").Produces<RoomInfo>();
        api.MapGet("/packages/{package}", (WorldHost world, string package) => world.Read(each => Catalogue.Details(each, package)).Answer())
            .ForAll().WithName("getPackage").WithSummary("One package, by digest, its beginning, app, or 'app version'").Produces<PackageDetails>();
        api.MapGet("/packages/{package}/compare/{other}", (WorldHost world, string package, string other) => world.Read<Outcome<PackageComparison>>(each =>
        {
            var (before, after) = (Named.Package(each, package), Named.Package(each, other));
            return before.Ok && after.Ok
                ? new PackageComparison(Catalogue.Info(before.Value), Catalogue.Info(after.Value), Comparing.Of(before.Value.Document, after.Value.Document))
                : (before.Failure ?? after.Failure)!;
        }).Answer()).ForAll().WithName("comparePackages").WithSummary("What differs between a package and another").Produces<PackageComparison>();
        api.MapGet("/packages/{package}/contents", (WorldHost world, string package) => world.Read(each => Named.Package(each, package)).Answer(
            found => Results.Text(ContentsList.Of(found), ContentsList.MediaType)))
            .ForAll().WithName("getPackageContents")
            .WithSummary("What is inside a package, as a CycloneDX list").Produces<string>(200, "application/vnd.cyclonedx+json");
        api.MapGet("/packages/{package}/manifest", (WorldHost world, string package) => world.Read(each => Named.Package(each, package)).Answer(
            found => Results.Text(ManifestText.Of(found.Document), "application/yaml")))
            .ForSeeing(Roles.Packager).WithName("getPackageManifest")
            .WithSummary("The manifest that makes a package again, as text").Produces<string>(200, "application/yaml");
        api.MapGet("/packages/{package}/file", (Carrying carrying, string package) => carrying.Export(package).Answer(file => Results.Stream(
            file, "application/zip")))
            .ForSeeing(Roles.Packager).WithName("getPackageFile")
            .WithSummary("A package as one file, to be carried to another service").Produces<byte[]>(200, "application/zip");
        api.MapGet("/schemas/package", () => Results.Stream(
            typeof(PackageRoutes).Assembly.GetManifestResourceStream("package.schema.json")!, "application/schema+json"))
            .ForAll().WithName("getPackageSchema").WithSummary("The JSON Schema of package.yaml").Produces<string>(200, "application/schema+json");
        api.MapPost("/packages/check", (Intake intake, PackageCheckRequest request) => Results.Ok(intake.Check(request)))
            .For(Roles.Packager).WithName("checkPackage")
            .WithSummary("What is wrong with a package folder, and the document to sign").Produces<PackageCheckAnswer>();
        api.MapPost("/uploads", (Intake intake, HttpContext context, UploadRequest request) => intake.Begin(request, context.Person()).Answer())
            .For(Roles.Packager).WithName("beginUpload").WithSummary("Begins an upload, or finds the one that was begun").Produces<UploadInfo>();
        api.MapPatch("/uploads/{id}", async (Intake intake, HttpContext context, string id) =>
        {
            if (!long.TryParse(context.Request.Headers["Upload-Offset"], out var offset) || offset < 0)
            {
                return Problems.Of(new Failure(ErrorKind.Invalid, "Say with the header Upload-Offset where these bytes begin."));
            }

            return (await intake.Append(id, offset, context.Request.Body, context.RequestAborted)).Answer();
        }).WithMetadata(new PieceLimit()).For(Roles.Packager).WithName("continueUpload")
            .WithSummary("Appends to an upload at Upload-Offset").Produces<UploadInfo>();
        api.MapPost("/packages", async (Intake intake, HttpContext context, PackageRequest request) =>
            (await intake.Take(request.Upload, context.Person(), request.Signature, request.Sent))
                .Answer(package => Results.Json(package, statusCode: package.IsNew ? 201 : 200)))
            .For(Roles.Packager).WithName("addPackage").WithSummary("Verifies a whole upload and takes it in").Produces<PackageInfo>(201);
        api.MapPost("/packages/{package}/trials", async (WorldHost world, FileStore files, HttpContext context, string package, TrialReport report) =>
        {
            var told = KeptTrials.Told(files, report);
            return (await world.Change(context.Person(), decision => PackageLives.Try(decision, package, told)))
                .Answer(tried => Results.Ok(Catalogue.Info(tried)));
        })
            .For(Roles.Packager).WithName("addTrial")
            .WithSummary("Keeps the result of a trial with its package; one that passed makes it tried").Produces<PackageInfo>();
        api.MapGet(
            "/packages/{package}/trials/{trial}",
            (WorldHost world, FileStore files, string package, string trial) => world.Read(each => KeptTrials.Trial(each, files, package, trial)).Answer())
            .ForAll().WithName("getTrial").WithSummary("All steps of a trial that is kept with a package").Produces<TrialReport>();
        api.MapPost(
            "/packages/{package}/release", async (WorldHost world, PackageOptions options, HttpContext context, string package, ReasonRequest request) =>
            (await world.Change(context.Person(), decision => PackageLives.Move(
                decision, package, PackageEvent.ReleaseAsked, new Releaser(context.User.IsInRole(Roles.Administrator), options.ReleaseByAnother),
                request.Reason ?? "")))
                .Answer(released => Results.Ok(Catalogue.Info(released))))
            .For(Roles.Packager).WithName("releasePackage").WithSummary("Releases a package for all groups").Produces<PackageInfo>();
        api.MapPost(
            "/packages/{package}/let-go",
            async (Leaving leaving, HttpContext context, string package, ReasonRequest request) =>
                (await leaving.LetGo(package, context.Person(), request.Reason ?? "")).Answer())
            .For(Roles.Packager).WithName("letGoPackage").WithSummary("Lets the files of a package go that nothing needs any more").Produces<PackageRoomInfo>();
        api.MapPost("/packages/{package}/withdraw", async (WorldHost world, SiteKeys keys, HttpContext context, string package, ReasonRequest request) =>
            (await world.Change(context.Person(), decision =>
            {
                var withdrawn = PackageLives.Withdraw(decision, package, request.Reason ?? "", keys.SignWithdrawn);
                return withdrawn.Ok ? Catalogue.Details(decision.World, withdrawn.Value) : (Outcome<PackageDetails>)withdrawn.Failure!;
            })).Answer())
            .For(Roles.Packager).WithName("withdrawPackage").WithSummary("Withdraws a package for good and stops its deployments").Produces<PackageDetails>();
    }

    /// <summary>A piece of an upload may be larger than other requests.</summary>
    private sealed class PieceLimit : IRequestSizeLimitMetadata
    {
        public long? MaxRequestBodySize => ApiLimits.MaxPiece;
    }

    private static IResult Icon(WorldHost world, FileStore files, HttpContext context, string app)
    {
        var icon = world.Read(
            each =>
                each.Packages.Values.Where(package => package.Record.App == app && package.Document.Icon is not null)
                    .OrderByDescending(package => package.Version).FirstOrDefault()?.Document.Icon);
        if (icon is null || files.Find(icon.Sha256) is not { } path)
        {
            return Problems.Of(new Failure(ErrorKind.NotFound, $"No package of '{app}' has an icon."));
        }

        // A picture from a package is not ours: opened by itself, it may neither run nor load anything.
        context.Response.Headers.ContentSecurityPolicy = "default-src 'none'; style-src 'unsafe-inline'; sandbox";
        context.Response.Headers.XContentTypeOptions = "nosniff";
        context.Response.Headers.CacheControl = "private, max-age=300";
        return Results.File(path, icon.Path.EndsWith(".svg", StringComparison.Ordinal) ? "image/svg+xml" : "image/png", entityTag: new($"\"{icon.Sha256}\""));
    }
}
