// What settings are called elsewhere, and how they are said here. It is looked at only where a key is no setting.

/** Each row: keys, in small letters and without '-' and '_', and the setting that does what they mean. */
const rows: readonly (readonly [keys: string, form: string])[] = [
  [
    'baseurl baseuri url uri host hostname server servers endpoint address root prefix api',
    'base: "http://harbour.skerry.example/v1"',
  ],
  ['vars var variable globals values constants data parameters', 'variables: { nights: 3 }'],
  [
    'env envs environ profile profiles stage stages',
    'environments: { local: { harbour: "http://127.0.0.1:7070" } }; what the process environment gives is a variable: home: { os: SKERRY_HOME }',
  ],
  ['default defaultenvironment defaultenv', 'environment: local'],
  ['bearer token accesstoken authorization authentication credentials', 'auth: { bearer: "{token}" }'],
  ['basic user username password login', 'auth: { basic: { user: harbour-master, password: "{password}" } }'],
  ['apikey key xapikey', 'auth: { api-key: { name: X-Harbour-Key, value: "{key}", in: header } }'],
  ['oauth', 'auth: { oauth2: … }'],
  ['retries retrycount maxretries attempts', 'retry: { times: 3 }'],
  ['followredirects followredirect follow redirect maxredirects', 'redirects: 5, or 0 for none'],
  [
    'verify verifyssl verifytls insecure strictssl rejectunauthorized ssl https skipverify',
    'tls: { verify: false }',
  ],
  [
    'ca cacert cert certificate clientcert certs pem',
    'tls: { ca: authority.pem, cert: client.pem, key: client.key }',
  ],
  ['header useragent accept contenttype cookie defaultheaders', 'headers: { Accept: application/json }'],
  ['params param querystring queryparams', 'query: { limit: 10 }'],
  ['name description summary', 'title: Skerry Harbour; prose stands in the page'],
  ['label labels group groups category markers', 'tags: [sea, slow]'],
  [
    'depends dependson dependencies dependency requires before setup beforeall prerequisites',
    'needs: [sign-in.md#sign-in]',
  ],
  ['after afterall teardown cleanup finally', 'a statement of the case that cleans up: cleanup'],
  ['assert asserts assertions tests test expect expects validate validations', 'checks: |'],
  ['phases ramp rampup traffic loadtest performance', 'load: |'],
  ['threshold thresholds sla slo budgets', 'bounds: |'],
  [
    'parallel serial sequential exclusive isolated concurrency',
    'alone: true; pages that do not need each other run together by: mervok run --jobs 4',
  ],
  ['maxtime requesttimeout connecttimeout timeoutms maxresponsetime', 'timeout: 5 s'],
  ['version httpversion protocol', 'http: 1.1, or 2'],
  ['iterations repeat rounds', 'an option: mervok run --rounds 10'],
  ['delay wait sleep', 'a statement: wait 3 s'],
  ['rules severity warnings ignore', 'lint: { name-unused: off }'],
  [
    'secret secrets mask redacted hide',
    'redact: { headers: [X-Pilot] }; a variable is secret by: { os: SKERRY_WORD, secret: true }',
  ],
  [
    'import imports include includes extends',
    'nothing: names come from other pages by themselves, and settings from the folders around',
  ],
  ['sequence pages files', 'order: [sign-in.md, quay]'],
];

/** The setting that a key means which is none here. */
export function settingMeant(key: string): string | undefined {
  const plain = key.toLowerCase().replace(/[-_]/g, '');
  const form = rows.find(([keys]) => keys.split(' ').includes(plain))?.[1];
  return form && `Here it is ${form}`;
}
