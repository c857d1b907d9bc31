// What a browser does with passkeys (W3C Web Authentication 3): loaded where one is used.

type Made = Record<string, unknown>;

/** canPasskeys tells whether this browser knows how to write them as JSON. */
export const canPasskeys = () =>
  typeof PublicKeyCredential === "function" && "parseRequestOptionsFromJSON" in PublicKeyCredential;

const written = (made: Credential | null): Made => {
  if (!(made instanceof PublicKeyCredential)) throw new DOMException("nothing was chosen", "NotAllowedError");
  return made.toJSON() as Made;
};

/** makePasskey has the browser make one, and gives what the server keeps of it. */
export const makePasskey = async (options: Made) =>
  written(
    await navigator.credentials.create({
      publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(
        options as unknown as PublicKeyCredentialCreationOptionsJSON,
      ),
    }),
  );

/** showPasskey has the browser answer with one. */
export const showPasskey = async (options: Made) =>
  written(
    await navigator.credentials.get({
      publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(
        options as unknown as PublicKeyCredentialRequestOptionsJSON,
      ),
    }),
  );
